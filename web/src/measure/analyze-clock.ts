import { measureDrift, measureWander, readClock } from '@metronomo/core';
import { bin } from 'd3-array';
import type { ClockResult } from '../store/records';

const TRACE_POINTS = 600;
const BINS = 30;

/**
 * What a clock's ticks say.
 * @throws RangeError in words when there are too few.
 */
export function analyzeClock(times: Float64Array): ClockResult {
  const { report, intervalMs, timeErrorMs } = readClock(times);
  const againstBpm = Math.round(report.bpm * 10) / 10;
  const drift = measureDrift(times, { bpm: againstBpm });
  return {
    report,
    intervalMs,
    seconds: (timeErrorMs.length * intervalMs) / 1000,
    drift: { ...drift, againstBpm },
    wander: measureWander(timeErrorMs, intervalMs),
    trace: traceOf(timeErrorMs, intervalMs),
    histogram: bin()
      .thresholds(BINS)([...timeErrorMs])
      .map((one) => ({ fromMs: one.x0 ?? 0, toMs: one.x1 ?? 0, count: one.length })),
  };
}

function traceOf(timeErrorMs: Float64Array, intervalMs: number): ClockResult['trace'] {
  const perPoint = Math.ceil(timeErrorMs.length / TRACE_POINTS);
  const trace: ClockResult['trace'] = [];
  for (let from = 0; from < timeErrorMs.length; from += perPoint) {
    const part = timeErrorMs.subarray(from, from + perPoint);
    trace.push({ seconds: (from * intervalMs) / 1000, low: Math.min(...part), high: Math.max(...part) });
  }
  return trace;
}
