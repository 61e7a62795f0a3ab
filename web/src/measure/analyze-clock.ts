import { compareClocks, driftOf, measureWander, readClock } from '@metronomo/core';
import { extent, ticks } from 'd3-array';
import type { ClockResult } from '../store/records';

const TRACE_POINTS = 600;
const BINS = 30;

/**
 * Analyzes a clock's ticks, and compares them with another clock's if given.
 * @throws RangeError with a message for the musician if there are too few.
 */
export function analyzeClock(times: Float64Array, others: Float64Array = new Float64Array()): ClockResult {
  const measurement = readClock(times);
  const { report, intervalMs, timeErrorMs } = measurement;
  const againstBpm = Math.round(report.bpm * 10) / 10;
  const drift = driftOf(measurement, { bpm: againstBpm });
  return {
    report,
    intervalMs,
    seconds: (timeErrorMs.length * intervalMs) / 1000,
    drift: { ...drift, againstBpm },
    wander: measureWander(timeErrorMs, intervalMs),
    ...(others.length > 0 && { comparison: compareClocks(times, others) }),
    trace: traceOf(timeErrorMs, intervalMs),
    histogram: histogramOf(timeErrorMs),
  };
}

function traceOf(timeErrorMs: Float64Array, intervalMs: number): ClockResult['trace'] {
  const perPoint = Math.ceil(timeErrorMs.length / TRACE_POINTS);
  const trace: ClockResult['trace'] = [];
  for (let from = 0; from < timeErrorMs.length; from += perPoint) {
    const to = Math.min(timeErrorMs.length, from + perPoint);
    let [low, high] = [Infinity, -Infinity];
    for (let i = from; i < to; i++) {
      const error = timeErrorMs[i] as number;
      if (error < low) low = error;
      if (error > high) high = error;
    }
    trace.push({ seconds: (from * intervalMs) / 1000, low, high });
  }
  return trace;
}

/** Counted in one pass: a million ticks are too many to bin via lists. */
function histogramOf(values: Float64Array): ClockResult['histogram'] {
  const [low = 0, high = 0] = extent(values);
  const edges = ticks(low, high, BINS);
  const width = edges.length > 1 ? (edges[1] as number) - (edges[0] as number) : 1;
  const first = (edges[0] ?? 0) - width;
  const counts = new Array<number>(edges.length + 1).fill(0);
  for (const value of values) {
    const at = Math.min(counts.length - 1, Math.max(0, Math.floor((value - first) / width)));
    counts[at] = (counts[at] ?? 0) + 1;
  }
  return counts.map((count, i) => ({ fromMs: first + i * width, toMs: first + (i + 1) * width, count }));
}
