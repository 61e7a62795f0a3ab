import { bisectRight } from 'd3-array';
import { readClock, type ClockMeasurement } from './measure-clock';
import { driftOf } from './measure-drift';

/** One clock relative to another. */
export interface ClockComparison {
  /** How much faster the first runs than the second, ppm, with its 95% interval. */
  ppm: number;
  ci95Ppm: [number, number];
  told: boolean;
  /** Jitter between the two with the speed difference removed, ms. */
  jitterRmsMs: number;
  /** Accumulated lag of the first behind (+) or ahead of (-) the second, ms. */
  trace: { seconds: number; apartMs: number }[];
}

const TRACE_POINTS = 600;

/**
 * Two clocks recorded at the same time, each as tick times in ms on one timeline.
 * @throws RangeError if either has fewer than three ticks, or they don't overlap in time.
 */
export function compareClocks(first: ArrayLike<number>, second: ArrayLike<number>): ClockComparison {
  const [one, other] = [readClock(first), readClock(second)];
  const drift = driftOf(one, { bpm: other.report.bpm });
  const otherDrift = driftOf(other, { bpm: other.report.bpm });
  // The second clock's own uncertainty adds to it.
  const half = Math.hypot(width(drift.ci95Ppm), width(otherDrift.ci95Ppm));
  const apart = timeApart(first, one, second, other);
  if (apart.length < 3)
    throw new RangeError('The two clocks never ran at the same time. Start both, then measure again.');
  const mean = apart.reduce((sum, { noiseMs }) => sum + noiseMs, 0) / apart.length;
  const squares = apart.reduce((sum, { noiseMs }) => sum + (noiseMs - mean) ** 2, 0);
  const step = Math.ceil(apart.length / TRACE_POINTS);
  const startMs = apart[0]?.atMs ?? 0;
  return {
    ppm: drift.ppm,
    ci95Ppm: [drift.ppm - half, drift.ppm + half],
    told: Math.abs(drift.ppm) > half,
    jitterRmsMs: Math.sqrt(squares / apart.length),
    trace: apart
      .filter((_, i) => i % step === 0)
      .map(({ atMs, noiseMs }) => ({
        seconds: (atMs - startMs) / 1000,
        apartMs: noiseMs - mean - (drift.ppm * (atMs - startMs)) / 1e6,
      })),
  };
}

const width = ([low, high]: [number, number]) => (high - low) / 2;

/**
 * The first clock's time error minus the second's at the same moment, for each tick of the first that the second
 * covers.
 */
function timeApart(
  first: ArrayLike<number>,
  one: ClockMeasurement,
  second: ArrayLike<number>,
  other: ClockMeasurement,
): { atMs: number; noiseMs: number }[] {
  const due = (from: number, { intervalMs, timeErrorMs }: ClockMeasurement) => {
    const zero = from - (timeErrorMs[0] as number);
    return Array.from(timeErrorMs, (errorMs, k) => ({ atMs: zero + k * intervalMs, errorMs }));
  };
  const others = due(second[0] as number, other);
  const otherTimes = Float64Array.from(others, ({ atMs }) => atMs);
  return due(first[0] as number, one).flatMap(({ atMs, errorMs }) => {
    const next = bisectRight(otherTimes, atMs);
    return next === 0 || next === others.length ? [] : [{ atMs, noiseMs: errorMs - between(others, next, atMs) }];
  });
}

function between(ticks: { atMs: number; errorMs: number }[], next: number, atMs: number): number {
  const [before, after] = [ticks[next - 1], ticks[next]];
  if (!before || !after) return 0;
  const share = (atMs - before.atMs) / (after.atMs - before.atMs);
  return before.errorMs + (after.errorMs - before.errorMs) * share;
}
