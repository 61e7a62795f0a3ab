import { fitLine } from '../maths/fit-line';

export interface ClockReport {
  bpm: number;
  bpmStandardError: number;
  /** RMS of the ticks around the best-fitting steady grid. */
  jitterRmsMs: number;
  jitterPeakToPeakMs: number;
  /** RMS of the intervals. */
  intervalRmsMs: number;
  /** Of |tick - grid|. */
  percentilesMs: { p50: number; p95: number; p99: number };
  missing: number;
  extra: number;
}

/** A clock and its best-fitting steady grid. */
export interface ClockMeasurement {
  report: ClockReport;
  /** Grid interval per tick, ms. */
  intervalMs: number;
  intervalStandardErrorMs: number;
  /** Time error of each numbered tick against the grid, ms, + is late; interpolated where a tick is missing. */
  timeErrorMs: Float64Array;
}

const TICKS_PER_BEAT = 24;
const MS_PER_MINUTE = 60_000;
const MIN_TICKS = 3;
/** The local interval follows the clock over about this many ticks. */
const LOCAL_TICKS = 16;

const { abs, ceil, floor, max, min, round, sqrt } = Math;

/**
 * Jitter of a clock.
 * @throws RangeError if there are fewer than three ticks, or their times don't ascend.
 */
export function measureClock(timesMs: ArrayLike<number>, ticksPerBeat = TICKS_PER_BEAT): ClockReport {
  return readClock(timesMs, ticksPerBeat).report;
}

/**
 * The same with the time error of every tick. Ticks are numbered by when they were expected, so a missing tick leaves a
 * gap in the numbering and a duplicate is ignored; the grid is the least-squares line of time against number (best
 * linear unbiased estimate, Gauss-Markov).
 */
export function readClock(timesMs: ArrayLike<number>, ticksPerBeat = TICKS_PER_BEAT): ClockMeasurement {
  const { numbers, times, extra } = numbered(timesMs);
  const n = times.length;
  const last = numbers[n - 1] as number;
  const { slope, at0, slopeError, residualRms } = fitLine(numbers, times);
  const errors = new Float64Array(n);
  const sizes = new Float64Array(n);
  let [least, most] = [Infinity, -Infinity];
  for (let i = 0; i < n; i++) {
    const error = (times[i] as number) - at0 - slope * (numbers[i] as number);
    errors[i] = error;
    sizes[i] = abs(error);
    least = min(least, error);
    most = max(most, error);
  }
  sizes.sort();
  // Linear interpolation between order statistics (type 7 of Hyndman and Fan, 1996).
  const percentile = (share: number) => {
    const at = share * (n - 1);
    const below = sizes[floor(at)] as number;
    const above = sizes[ceil(at)] as number;
    return below + (above - below) * (at - floor(at));
  };
  const bpm = MS_PER_MINUTE / (slope * ticksPerBeat);
  return {
    intervalMs: slope,
    intervalStandardErrorMs: slopeError,
    timeErrorMs: interpolated(numbers, errors, last),
    report: {
      bpm,
      bpmStandardError: (bpm * slopeError) / slope,
      jitterRmsMs: residualRms,
      jitterPeakToPeakMs: most - least,
      intervalRmsMs: intervalSpread(numbers, times),
      percentilesMs: { p50: percentile(0.5), p95: percentile(0.95), p99: percentile(0.99) },
      missing: last + 1 - n,
      extra,
    },
  };
}

function numbered(timesMs: ArrayLike<number>): { numbers: Float64Array; times: Float64Array; extra: number } {
  const n = timesMs.length;
  if (n < MIN_TICKS)
    throw new RangeError(
      `Too few ticks: ${n} received, at least three needed. Check that the clock keeps running, then measure again.`,
    );
  let interval = usualInterval(timesMs);
  const numbers = new Float64Array(n);
  const times = new Float64Array(n);
  times[0] = timesMs[0] as number;
  let count = 1;
  let extra = 0;
  // Where the last numbered tick would be without its own jitter.
  let expected = times[0];
  for (let i = 1; i < n; i++) {
    const at = timesMs[i] as number;
    const steps = round((at - expected) / interval);
    if (steps <= 0) {
      extra++;
      // Of two ticks for one number, keep the one closer to its expected time.
      if (abs(at - expected) < abs((times[count - 1] as number) - expected)) times[count - 1] = at;
      continue;
    }
    const due = expected + steps * interval;
    const error = at - due;
    if (steps === 1) interval += (error / LOCAL_TICKS) * (1 / LOCAL_TICKS);
    expected = due + error / LOCAL_TICKS;
    numbers[count] = (numbers[count - 1] as number) + steps;
    times[count++] = at;
  }
  if (count < MIN_TICKS)
    throw new RangeError(
      `Too few usable ticks: ${count}, at least three needed. Check that the clock keeps running, then measure again.`,
    );
  return { numbers: numbers.subarray(0, count), times: times.subarray(0, count), extra };
}

/** Median of the first intervals: robust against missing and duplicate ticks. */
function usualInterval(timesMs: ArrayLike<number>): number {
  const intervals: number[] = [];
  for (let i = 1; i < min(timesMs.length, 1000); i++) {
    const interval = (timesMs[i] as number) - (timesMs[i - 1] as number);
    if (!(interval >= 0)) throw new RangeError(`Tick ${i + 1} is out of order.`);
    intervals.push(interval);
  }
  intervals.sort((a, b) => a - b);
  const middle = intervals[floor(intervals.length / 2)] as number;
  if (!(middle > 0)) throw new RangeError('All ticks have the same timestamp.');
  return middle;
}

function intervalSpread(numbers: Float64Array, times: Float64Array): number {
  let [sum, squares, count] = [0, 0, 0];
  for (let i = 1; i < times.length; i++) {
    if ((numbers[i] as number) - (numbers[i - 1] as number) !== 1) continue;
    const interval = (times[i] as number) - (times[i - 1] as number);
    sum += interval;
    squares += interval * interval;
    count++;
  }
  const mean = sum / max(1, count);
  return sqrt(max(0, squares / max(1, count) - mean * mean));
}

function interpolated(numbers: Float64Array, errors: Float64Array, last: number): Float64Array {
  if (last + 1 === errors.length) return errors;
  const filled = new Float64Array(last + 1);
  for (let i = 0; i < errors.length; i++) {
    const at = numbers[i] as number;
    const before = i === 0 ? at : (numbers[i - 1] as number);
    const from = i === 0 ? (errors[0] as number) : (errors[i - 1] as number);
    const to = errors[i] as number;
    for (let k = before + 1; k < at; k++) filled[k] = from + ((to - from) * (k - before)) / (at - before);
    filled[at] = to;
  }
  return filled;
}
