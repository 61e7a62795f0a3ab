import {
  BarElement,
  CategoryScale,
  Chart,
  LinearScale,
  LineElement,
  LogarithmicScale,
  PointElement,
  Tooltip,
  type ChartOptions,
} from 'chart.js';
import { format } from 'date-fns';
import { Trash2 } from 'lucide-react';
import { Bar, Line } from 'react-chartjs-2';
import { tell } from '../../app/toast-store';
import { Button } from '../../parts/button';
import { Notice } from '../../parts/notice';
import { useInks } from '../../parts/use-inks';
import { signed } from '../../parts/words';
import { deleteClockTake } from '../../store/clock-takes';
import type { ClockResult as Result, ClockTake } from '../../store/records';

Chart.register(BarElement, CategoryScale, LinearScale, LineElement, LogarithmicScale, PointElement, Tooltip);

/** How even one clock is: in words, in numbers and in pictures. */
export function ClockResult({
  take,
  others,
  onChoose,
}: {
  take: ClockTake;
  others: ClockTake[];
  onChoose: (id: string) => void;
}) {
  const { result } = take;
  const remove = async () => {
    const undo = await deleteClockTake(take.id);
    tell(`The clock of ${take.name} was taken out.`, () => void undo());
  };
  return (
    <div className="flex flex-col gap-4">
      <header className="flex flex-wrap items-center gap-3">
        <h2 className="text-lg font-bold">The clock of {take.name}</h2>
        <select
          aria-label="Which one is shown"
          className="border border-rule px-1.5 py-1 text-sm"
          value={take.id}
          onChange={({ target }) => onChoose(target.value)}
        >
          {others.map(({ id, startedAt, name }) => (
            <option key={id} value={id}>
              {format(startedAt, 'd MMM, HH:mm:ss')} {name}
            </option>
          ))}
        </select>
        <span className="ml-auto flex gap-1">
          {result && <Button onClick={() => void copyNumbers(take, result)}>Copy the numbers</Button>}
          <Button tone="quiet" aria-label="Delete this one" onClick={() => void remove()}>
            <Trash2 size={16} aria-hidden />
          </Button>
        </span>
      </header>
      {take.ending && <Notice>{take.ending} What came before is kept.</Notice>}
      {take.problem && <Notice>{take.problem}</Notice>}
      {result && (
        <>
          <p className="max-w-prose">{inWords(result)}</p>
          <Numbers result={result} ticks={take.ticks} />
          <Pictures result={result} />
        </>
      )}
    </div>
  );
}

/** Under a millisecond nobody hears it; from two on two clicks begin to part (common practice). */
function inWords({ report, wander, drift }: Result): string {
  const { jitterRmsMs, missing, extra } = report;
  const even =
    jitterRmsMs < 0.5
      ? 'Even: nobody hears this jitter.'
      : jitterRmsMs < 1.5
        ? 'Fair: a follower that does not smooth its clock will be a little restless.'
        : 'Uneven: followers will sound restless. Let the hub make it anew.';
  const steady = wander.steady
    ? `Steady within ${wander.steady.withinMs.toFixed(2)} ms over any ${stretch(wander.steady.overMs)}.`
    : '';
  const runs = drift.told
    ? `Against ${drift.againstBpm} BPM it runs ${Math.abs(drift.ppm).toFixed(0)} ppm ${drift.ppm > 0 ? 'fast' : 'slow'}: ${Math.abs(drift.msPerSong).toFixed(0)} ms in a song of four minutes.`
    : 'No drift can be told.';
  const gaps = missing + extra > 0 ? `${missing} ticks were missing and ${extra} came twice.` : 'No tick was missing.';
  return [even, steady, runs, gaps].filter(Boolean).join(' ');
}

function stretch(ms: number): string {
  if (ms >= 3_600_000) return 'hour';
  if (ms >= 600_000) return 'ten minutes';
  return ms >= 60_000 ? 'minute' : ms >= 10_000 ? 'ten seconds' : 'second';
}

function rowsOf({ report, drift, seconds }: Result, ticks: number): [string, string][] {
  const { p50, p95, p99 } = report.percentilesMs;
  return [
    ['Tempo, BPM', `${report.bpm.toFixed(4)} ± ${(1.96 * report.bpmStandardError).toFixed(4)}`],
    ['Jitter, rms', `${report.jitterRmsMs.toFixed(3)} ms`],
    ['peak to peak', `${report.jitterPeakToPeakMs.toFixed(2)} ms`],
    ['half, 95 %, 99 % within', `${p50.toFixed(2)}, ${p95.toFixed(2)}, ${p99.toFixed(2)} ms`],
    ['Intervals, rms', `${report.intervalRmsMs.toFixed(3)} ms`],
    ['Drift, 95 % interval', `${signed(drift.ci95Ppm[0])} to ${signed(drift.ci95Ppm[1])} ppm`],
    ['Ticks', `${ticks} in ${seconds.toFixed(0)} s`],
    ['missing, doubled', `${report.missing}, ${report.extra}`],
  ];
}

function Numbers({ result, ticks }: { result: Result; ticks: number }) {
  return (
    <dl className="grid grid-cols-2 gap-x-8 gap-y-2 lg:grid-cols-4">
      {rowsOf(result, ticks).map(([what, value]) => (
        <div key={what}>
          <dt className="text-xs text-soft">{what}</dt>
          <dd className="text-base font-bold">{value}</dd>
        </div>
      ))}
    </dl>
  );
}

async function copyNumbers({ name, ticks }: ClockTake, result: Result): Promise<void> {
  const text = [`Clock of ${name}`, ...rowsOf(result, ticks).map(([what, value]) => `${what}\t${value}`)].join('\n');
  await navigator.clipboard.writeText(text);
  tell('The numbers were copied.');
}

function Pictures({ result: { trace, histogram, wander } }: { result: Result }) {
  const inks = useInks();
  const font = { family: 'B612', size: 12 };
  const axis = (title: string, type: 'linear' | 'logarithmic' = 'linear') => ({
    type,
    title: { display: true, text: title, color: inks.soft, font },
    ticks: { color: inks.ink, font, maxTicksLimit: 7 },
    grid: { color: inks.rule },
  });
  const options = (x: string, y: string, type: 'linear' | 'logarithmic' = 'linear'): ChartOptions<'line'> => ({
    animation: false,
    parsing: false,
    maintainAspectRatio: false,
    scales: { x: axis(x, type), y: axis(y, type) },
  });
  const lineOf = (data: { x: number; y: number }[], ink: string, dash: number[] = []) => ({
    data,
    borderColor: ink,
    borderDash: dash,
    borderWidth: 1.25,
    pointRadius: 0,
  });
  return (
    <div className="grid grid-cols-1 gap-5 lg:grid-cols-2">
      <figure className="lg:col-span-2">
        <figcaption className="text-xs text-soft">
          Time error: how much later than the even grid each tick came
        </figcaption>
        <div className="h-36">
          <Line
            role="img"
            aria-label="Time error trace"
            data={{
              datasets: [
                lineOf(
                  trace.map(({ seconds, high }) => ({ x: seconds, y: high })),
                  inks.audio,
                ),
                lineOf(
                  trace.map(({ seconds, low }) => ({ x: seconds, y: low })),
                  inks.audio,
                ),
              ],
            }}
            options={options('seconds', 'ms')}
          />
        </div>
      </figure>
      <figure>
        <figcaption className="text-xs text-soft">How the ticks spread around their places, ms</figcaption>
        <div className="h-44">
          <Bar
            role="img"
            aria-label="Histogram of the time errors"
            data={{
              labels: histogram.map(({ fromMs, toMs }) => ((fromMs + toMs) / 2).toFixed(2)),
              datasets: [
                {
                  data: histogram.map(({ count }) => count),
                  backgroundColor: inks.audio,
                  categoryPercentage: 1,
                  barPercentage: 0.94,
                },
              ],
            }}
            options={{
              animation: false,
              maintainAspectRatio: false,
              scales: {
                x: { grid: { display: false }, ticks: { color: inks.ink, font, maxTicksLimit: 7, maxRotation: 0 } },
                y: { grid: { color: inks.rule }, ticks: { color: inks.soft, font, maxTicksLimit: 4 } },
              },
            }}
          />
        </div>
      </figure>
      <figure>
        <figcaption className="text-xs text-soft">
          Over how long: time deviation, and dashed the most it moves (MTIE)
        </figcaption>
        <div className="h-44">
          <Line
            role="img"
            aria-label="Time deviation and MTIE over the averaging time"
            data={{
              datasets: [
                lineOf(
                  wander.points.map(({ tauMs, timeDeviation }) => ({ x: tauMs / 1000, y: timeDeviation })),
                  inks.audio,
                ),
                lineOf(
                  wander.points.map(({ tauMs, mtie }) => ({ x: tauMs / 1000, y: mtie })),
                  inks.ink,
                  [5, 4],
                ),
              ],
            }}
            options={options('averaged over, s', 'ms', 'logarithmic')}
          />
        </div>
      </figure>
    </div>
  );
}
