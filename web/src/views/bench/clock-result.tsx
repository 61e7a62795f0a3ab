import { format } from 'date-fns';
import { Trash2 } from 'lucide-react';
import { tell } from '../../app/toast-store';
import { Button } from '../../parts/button';
import { Notice } from '../../parts/notice';
import { signed } from '../../parts/words';
import { deleteClockTake } from '../../store/clock-takes';
import type { ClockResult as Result, ClockTake } from '../../store/records';
import { HistogramFigure, LineFigure } from '../../parts/chart-figure';

/** Over a few hundred ticks, jitter that grew by so much did not do so by chance. */
const TOLD_RATIO = 1.25;

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
          {take.traffic && <Beside quiet={others.find(({ id }) => id === take.traffic?.quietId)} busy={result} />}
          {take.against && result.comparison && (
            <p className="max-w-prose">{againstInWords(take.against.name, result.comparison)}</p>
          )}
          <Numbers result={result} ticks={take.ticks} />
          <Pictures result={result} />
        </>
      )}
    </div>
  );
}

/** The same clock with its line quiet, and with notes, controllers and dumps on it. */
function Beside({ quiet, busy }: { quiet: ClockTake | undefined; busy: Result }) {
  if (!quiet?.result) return <p className="text-sm text-soft">The take with the line quiet is not here any more.</p>;
  const { jitterRmsMs: before, jitterPeakToPeakMs: widest } = quiet.result.report;
  const { jitterRmsMs: after, jitterPeakToPeakMs: wider } = busy.report;
  const says =
    after > before * TOLD_RATIO
      ? 'Traffic disturbs it: keep notes and dumps off this line, or give the clock one of its own.'
      : 'Traffic does not disturb it.';
  return (
    <p className="max-w-prose">
      With the line quiet the jitter was <b>{before.toFixed(3)} ms</b> rms, {widest.toFixed(2)} ms from peak to peak;
      with notes, a knob and dumps on it <b>{after.toFixed(3)} ms</b>, {wider.toFixed(2)} ms. {says}
    </p>
  );
}

function againstInWords(other: string, { ppm, ci95Ppm, told, jitterRmsMs }: NonNullable<Result['comparison']>): string {
  const speed = told
    ? `Against ${other} it runs ${Math.abs(ppm).toFixed(1)} ppm ${ppm > 0 ? 'fast' : 'slow'} (${signed(ci95Ppm[0])} to ${signed(ci95Ppm[1])}).`
    : `Against ${other} no difference in speed can be told (${signed(ci95Ppm[0])} to ${signed(ci95Ppm[1])} ppm).`;
  return `${speed} Tick by tick the two are ${jitterRmsMs.toFixed(3)} ms rms apart.`;
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

function Pictures({ result: { trace, histogram, wander, comparison } }: { result: Result }) {
  const over = (value: (point: Result['wander']['points'][number]) => number) =>
    wander.points.map((point) => ({ x: point.tauMs / 1000, y: value(point) }));
  return (
    <div className="grid grid-cols-1 gap-5 lg:grid-cols-2">
      <div className="lg:col-span-2">
        <LineFigure
          caption="Time error: how much later than the even grid each tick came"
          label="Time error trace"
          className="h-36"
          x="seconds"
          y="ms"
          series={[
            { points: trace.map(({ seconds, high }) => ({ x: seconds, y: high })) },
            { points: trace.map(({ seconds, low }) => ({ x: seconds, y: low })) },
          ]}
        />
      </div>
      <HistogramFigure
        caption="How the ticks spread around their places, ms"
        label="Histogram of the time errors"
        unit="ticks"
        bins={histogram.map(({ fromMs: from, toMs: to, count }) => ({ from, to, count }))}
      />
      <LineFigure
        caption="Over how long: time deviation, and dashed the most it moves (MTIE)"
        label="Time deviation and MTIE over the averaging time"
        x="averaged over, s"
        y="ms"
        logarithmic
        series={[
          { points: over(({ timeDeviation }) => timeDeviation) },
          { points: over(({ mtie }) => mtie), ink: 'ink', dashed: true },
        ]}
      />
      <LineFigure
        caption="Allan deviation: how steady its tempo is, averaged over so long"
        label="Allan deviation over the averaging time"
        x="averaged over, s"
        y="parts in one"
        logarithmic
        series={[{ points: over(({ allanDeviation }) => allanDeviation) }]}
      />
      {comparison && (
        <LineFigure
          caption="How far it has come to be behind (+) the other clock"
          label="Time apart from the other clock"
          x="seconds"
          y="ms"
          series={[{ points: comparison.trace.map(({ seconds, apartMs }) => ({ x: seconds, y: apartMs })) }]}
        />
      )}
    </div>
  );
}
