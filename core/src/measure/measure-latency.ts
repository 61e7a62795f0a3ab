import { median } from 'd3-array';
import { matchOnsets, type Landing, type Matching } from './match-onsets';
import { medianInterval } from './median-interval';

export interface LatencyReport {
  medianMs: number;
  ci95Ms: [number, number];
  /** Robust standard deviation: 1.4826 times the median absolute deviation. */
  spreadMs: number;
  matched: number;
  missed: number;
  extra: number;
  believable: boolean;
  /** Why not. */
  reason?: string;
}

/** Below this many beats an interval cannot be trusted. */
const FEWEST_BEATS = 8;
/** A median that may be off by more than a player hears as a flam tells nothing (common practice: 10 ms). */
const WIDEST_INTERVAL_MS = 10;
const MOST_MISSED_SHARE = 0.25;
/** Turns a median absolute deviation into the standard deviation of a normal distribution. */
const NORMAL_SCALE = 1.4826;

/**
 * How late hits are heard after they were asked for. `pulsesMs`: when each was asked for; `onsetsMs`: when hits were
 * heard; both in ms on one timeline, in order.
 */
export function measureLatency(input: { pulsesMs: ArrayLike<number>; onsetsMs: ArrayLike<number> }): LatencyReport {
  return reportLatency(matchOnsets(input.pulsesMs, input.onsetsMs));
}

/** The same from hits that are matched already. With nothing heard, the numbers are NaN and `reason` says so. */
export function reportLatency({ landings, missed, extra }: Matching): LatencyReport {
  const counts = { matched: landings.length, missed, extra };
  if (landings.length === 0) {
    const reason =
      missed === 0 ? 'There were no beats to measure against.' : 'Nothing was heard that answers the beat.';
    return { medianMs: NaN, ci95Ms: [NaN, NaN], spreadMs: NaN, ...counts, believable: false, reason };
  }
  const { median: medianMs, ci95 } = medianInterval(Float64Array.from(landings, late).sort());
  const spreadMs = NORMAL_SCALE * (median(landings, (landing) => Math.abs(landing.lateMs - medianMs)) ?? 0);
  const reason = doubt(counts, ci95);
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

function doubt(counts: { matched: number; missed: number; extra: number }, ci95: [number, number]): string | null {
  const { matched, missed, extra } = counts;
  if (matched < FEWEST_BEATS)
    return `Only ${matched} beats were heard; take at least ${FEWEST_BEATS} to trust the middle of them.`;
  if (missed > MOST_MISSED_SHARE * (matched + missed))
    return `${missed} of ${matched + missed} beats were not heard: check the level and the pattern.`;
  if (extra > matched)
    return `More hits were heard off the beat (${extra}) than on it (${matched}): let it play quarter notes.`;
  const width = ci95[1] - ci95[0];
  if (width > WIDEST_INTERVAL_MS)
    return `The beats scatter too much: the middle is known to ${width.toFixed(1)} ms only. Take more beats.`;
  return null;
}
