import { NORMAL_95 } from '@metronomo/core';
import { Trash2 } from 'lucide-react';
import { reportDeleted } from '../../studio/undoable';
import { showToast } from '../../toasts/toast-store';
import { Button } from '../../parts/button';
import { Notice } from '../../parts/notice';
import { signed } from '../../parts/words';
import { deleteClockTake } from '../../store/clock-takes';
import type { ClockResult as Result, ClockTake } from '../../store/records';
import { HistogramFigure, LineFigure } from '../../parts/chart-figure';
import { decimal, whole } from '../../words/numbers';
import { exactDayAndTime } from '../../parts/dates';

/** With a few hundred ticks, an increase in jitter by this factor is significant. */
const SIGNIFICANT_RATIO = 1.25;

/** Stability of one clock: figures, verdict, charts. */
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
    reportDeleted(`Clock take from ${take.name} deleted`, undo);
  };
  return (
    <div className="flex flex-col gap-4">
      <header className="flex flex-wrap items-center gap-3">
        <h2 className="text-lg font-bold">Clock from {take.name}</h2>
        <select
          aria-label="Clock take shown"
          className="border border-rule px-1.5 py-1 text-sm"
          value={take.id}
          onChange={({ target }) => onChoose(target.value)}
        >
          {others.map(({ id, startedAt, name }) => (
            <option key={id} value={id}>
              {exactDayAndTime(startedAt)} {name}
            </option>
          ))}
        </select>
        <span className="ml-auto flex gap-1">
          {result && <Button onClick={() => void copyNumbers(take, result)}>Copy results</Button>}
          <Button tone="quiet" aria-label="Delete clock take" onClick={() => void remove()}>
            <Trash2 size={16} aria-hidden />
          </Button>
        </span>
      </header>
      {take.ending && <Notice>{take.ending} Ticks received until then are saved.</Notice>}
      {take.problem && <Notice>{take.problem}</Notice>}
      {result && (
        <>
          <Numbers result={result} ticks={take.ticks} />
          <p className="max-w-prose">{summaryText(result)}</p>
          {take.traffic && (
            <TrafficComparison quiet={others.find(({ id }) => id === take.traffic?.quietId)} busy={result} />
          )}
          {take.against && result.comparison && (
            <p className="max-w-prose">{comparisonText(take.against.name, result.comparison)}</p>
          )}
          <Charts result={result} />
        </>
      )}
    </div>
  );
}

/** Jitter of the same clock without and with other traffic on its port. */
function TrafficComparison({ quiet, busy }: { quiet: ClockTake | undefined; busy: Result }) {
  if (!quiet?.result)
    return (
      <p className="text-sm text-soft">The take without traffic was deleted, so there is nothing to compare with.</p>
    );
  const { jitterRmsMs: before, jitterPeakToPeakMs: widest } = quiet.result.report;
  const { jitterRmsMs: after, jitterPeakToPeakMs: wider } = busy.report;
  const says =
    after > before * SIGNIFICANT_RATIO
      ? 'Traffic makes this clock less stable. Keep notes and dumps off this port, or give the clock its own port.'
      : 'Traffic doesn’t affect this clock.';
  return (
    <p className="max-w-prose">
      Jitter without traffic: <b>{decimal(before, 3)} ms</b> rms, {decimal(widest, 2)} ms peak to peak. With notes,
      controllers and dumps: <b>{decimal(after, 3)} ms</b> rms, {decimal(wider, 2)} ms peak to peak. {says}
    </p>
  );
}

function comparisonText(other: string, { ppm, ci95Ppm, told, jitterRmsMs }: NonNullable<Result['comparison']>): string {
  const speed = told
    ? `Runs ${decimal(Math.abs(ppm), 1)} ppm ${ppm > 0 ? 'fast' : 'slow'} compared with ${other} (95% interval ${signed(ci95Ppm[0])} to ${signed(ci95Ppm[1])} ppm).`
    : `No measurable drift compared with ${other} (95% interval ${signed(ci95Ppm[0])} to ${signed(ci95Ppm[1])} ppm).`;
  return `${speed} Jitter between the two: ${decimal(jitterRmsMs, 3)} ms rms.`;
}

/** Limits by common practice: jitter under a millisecond is inaudible; two clicks separate from about 2 ms. */
function summaryText({ report, wander, drift }: Result): string {
  const { jitterRmsMs, missing, extra } = report;
  const even =
    jitterRmsMs < 0.5
      ? 'Stable: this much jitter is inaudible.'
      : jitterRmsMs < 1.5
        ? 'Fair: followers that don’t smooth incoming clock may sound slightly unsteady.'
        : 'Unstable: followers will sound unsteady. Let the hub regenerate the clock.';
  const steady = wander.steady
    ? `Stays within ±${decimal(wander.steady.withinMs, 2)} ms over any ${stretch(wander.steady.overMs)}.`
    : '';
  const runs = drift.told
    ? `Runs ${whole(Math.abs(drift.ppm))} ppm ${drift.ppm > 0 ? 'fast' : 'slow'} against ${drift.againstBpm} BPM: ${whole(Math.abs(drift.msPerSong))} ms over a four-minute song.`
    : 'No measurable drift.';
  const gaps = missing + extra > 0 ? `Ticks missing: ${missing}, doubled: ${extra}.` : 'No ticks missing.';
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
    ['Tempo, BPM', `${decimal(report.bpm, 4)} ± ${decimal(NORMAL_95 * report.bpmStandardError, 4)}`],
    ['Drift, 95% interval', `${signed(drift.ci95Ppm[0])} to ${signed(drift.ci95Ppm[1])} ppm`],
    ['Jitter, rms', `${decimal(report.jitterRmsMs, 3)} ms`],
    ['Jitter, peak to peak', `${decimal(report.jitterPeakToPeakMs, 2)} ms`],
    ['Ticks within (50/95/99%)', `${decimal(p50, 2)}, ${decimal(p95, 2)}, ${decimal(p99, 2)} ms`],
    ['Interval jitter, rms', `${decimal(report.intervalRmsMs, 3)} ms`],
    ['Ticks', `${ticks} in ${whole(seconds)} s`],
    ['Ticks missing, doubled', `${report.missing}, ${report.extra}`],
  ];
}

function Numbers({ result, ticks }: { result: Result; ticks: number }) {
  return (
    <dl className="grid grid-cols-2 gap-x-8 gap-y-2 xl:grid-cols-4">
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
  const text = [`Clock from ${name}`, ...rowsOf(result, ticks).map(([what, value]) => `${what}\t${value}`)].join('\n');
  await navigator.clipboard.writeText(text);
  showToast('Results copied.');
}

function Charts({ result: { trace, histogram, wander, comparison } }: { result: Result }) {
  const over = (value: (point: Result['wander']['points'][number]) => number) =>
    wander.points.map((point) => ({ x: point.tauMs / 1000, y: value(point) }));
  return (
    <div className="grid grid-cols-1 gap-5 lg:grid-cols-2">
      <div className="lg:col-span-2">
        <LineFigure
          caption="Time error: how late each tick is against an ideal clock"
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
        caption="Distribution of tick time errors, ms"
        label="Histogram of time errors"
        unit="ticks"
        bins={histogram.map(({ fromMs: from, toMs: to, count }) => ({ from, to, count }))}
      />
      <LineFigure
        caption="Stability by averaging time: time deviation (solid) and MTIE (dashed)"
        label="Time deviation and MTIE by averaging time"
        x="averaging time, s"
        y="ms"
        logarithmic
        series={[
          { points: over(({ timeDeviation }) => timeDeviation) },
          { points: over(({ mtie }) => mtie), ink: 'ink', dashed: true },
        ]}
      />
      <LineFigure
        caption="Allan deviation: tempo stability by averaging time"
        label="Allan deviation by averaging time"
        x="averaging time, s"
        y="relative deviation"
        logarithmic
        series={[{ points: over(({ allanDeviation }) => allanDeviation) }]}
      />
      {comparison && (
        <LineFigure
          caption="Accumulated lag behind the other clock (+ behind, − ahead)"
          label="Lag behind the other clock"
          x="seconds"
          y="ms"
          series={[{ points: comparison.trace.map(({ seconds, apartMs }) => ({ x: seconds, y: apartMs })) }]}
        />
      )}
    </div>
  );
}
