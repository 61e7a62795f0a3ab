import { median } from 'd3-array';
import { matchOnsets, type Landing, type Matching } from './match-onsets';
import { medianInterval } from '../maths/median-interval';

export interface LatencyReport {
  medianMs: number;
  ci95Ms: [number, number];
  /** Robust standard deviation: 1.4826 times the median absolute deviation. */
  spreadMs: number;
  matched: number;
  missed: number;
  extra: number;
  believable: boolean;
  /** Why it isn't reliable. */
  reason?: string;
}

/** With fewer beats the interval can't be trusted. */
const MIN_BEATS = 8;
/** A median uncertain by more than an audible flam is useless (common practice: 10 ms). */
const WIDEST_INTERVAL_MS = 10;
const MAX_MISSED_SHARE = 0.25;
/** Converts a median absolute deviation to the standard deviation of a normal distribution. */
const NORMAL_SCALE = 1.4826;

/**
 * Latency of detected hits. `pulsesMs`: when each was due; `onsetsMs`: when hits were detected; both in ms on one
 * timeline, in order.
 */
export function measureLatency(input: { pulsesMs: ArrayLike<number>; onsetsMs: ArrayLike<number> }): LatencyReport {
  return reportLatency(matchOnsets(input.pulsesMs, input.onsetsMs));
}

/** What an onset is uncertain by, the same for all hits of a take: the interval is wider by that. */
export interface Uncertainty {
  earlierMs: number;
  laterMs: number;
}

/** The same from hits that are matched already. Without any, the numbers are NaN and `reason` says so. */
export function reportLatency(
  { landings, missed, extra }: Matching,
  { earlierMs, laterMs }: Uncertainty = { earlierMs: 0, laterMs: 0 },
): LatencyReport {
  const counts = { matched: landings.length, missed, extra };
  if (landings.length === 0) {
    const reason =
      missed === 0
        ? 'No reference beats to measure against.'
        : 'No hits match the beat. Check that the device plays in sync.';
    return { medianMs: NaN, ci95Ms: [NaN, NaN], spreadMs: NaN, ...counts, believable: false, reason };
  }
  const { median: medianMs, ci95: between } = medianInterval(Float64Array.from(landings, late).sort());
  const ci95: [number, number] = [between[0] - earlierMs, between[1] + laterMs];
  const spreadMs = NORMAL_SCALE * (median(landings, (landing) => Math.abs(landing.lateMs - medianMs)) ?? 0);
  const reason = unreliableBecause(counts, ci95);
  return {
    medianMs,
    ci95Ms: ci95,
    spreadMs,
    ...counts,
    believable: reason === null,
    ...(reason === null ? {} : { reason }),
  };
}

const late = (landing: Landing) => landing.lateMs;

function unreliableBecause(
  counts: { matched: number; missed: number; extra: number },
  ci95: [number, number],
): string | null {
  const { matched, missed, extra } = counts;
  if (matched < MIN_BEATS)
    return `Only ${matched} beats were heard; a reliable median needs at least ${MIN_BEATS}. Record a longer take.`;
  if (missed > MAX_MISSED_SHARE * (matched + missed))
    return `${missed} of ${matched + missed} beats were missed. Check the level and the pattern.`;
  if (extra > matched)
    return `More hits off the beat (${extra}) than on it (${matched}). Set the device to play quarter notes.`;
  const width = ci95[1] - ci95[0];
  if (width > WIDEST_INTERVAL_MS)
    return `Too much jitter: the 95% interval is ${width.toFixed(1)} ms wide. Record a longer take.`;
  return null;
}
