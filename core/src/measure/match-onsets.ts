import { bisectCenter, bisectLeft, median } from 'd3-array';

const { abs, max, min } = Math;

/** One hit that was heard: how late it came after its pulse (+) or how early (-). */
export interface Landing {
  /** Which pulse, counted from 0. */
  pulse: number;
  lateMs: number;
}

export interface Matching {
  landings: Landing[];
  /** Pulses for which nothing was heard. */
  missed: number;
  /** Onsets that belong to no pulse. */
  extra: number;
}

/** Of one interval between pulses, how much of it is looked at before and after a pulse: gear is late more than early. */
const EARLY_SHARE = 0.25;
const LATE_SHARE = 0.75;
/** Without a second pulse to tell the interval. */
const LONE_INTERVAL_MS = 500;
/** Hits within this width of each other are taken for the same delay when the delay is first sought. */
const BUNDLE_MS = 12;
/** A hit may stray this far from the median of all before it counts as another hit. */
const STRAY_SPREADS = 8;
const LEAST_STRAY_MS = 4;
const MOST_STRAY_SHARE = 0.25;

/**
 * Which onset answers which pulse. The delay that most pulses agree on is found first, so that a delay of half a beat
 * is no riddle and a missing or doubled hit shifts nothing; then each pulse takes the onset nearest to its due place.
 * Both series are in ms on one timeline, in order.
 */
export function matchOnsets(pulsesMs: ArrayLike<number>, onsetsMs: ArrayLike<number>): Matching {
  const pulses = Array.from(pulsesMs);
  const onsets = Array.from(onsetsMs);
  const intervalMs = median(pulses.slice(1), (ms, i) => ms - (pulses[i] as number)) ?? LONE_INTERVAL_MS;
  const delays = commonDelays(pulses, onsets, intervalMs);
  if (delays.length === 0) return { landings: [], missed: pulses.length, extra: onsets.length };

  const delayMs = median(delays) ?? 0;
  const spreadMs = 1.4826 * (median(delays, (delay) => abs(delay - delayMs)) ?? 0);
  const strayMs = min(max(LEAST_STRAY_MS, STRAY_SPREADS * spreadMs), MOST_STRAY_SHARE * intervalMs);
  const landings: Landing[] = [];
  const taken = new Set<number>();
  pulses.forEach((pulseMs, pulse) => {
    const nearest = bisectCenter(onsets, pulseMs + delayMs);
    const lateMs = (onsets[nearest] ?? Infinity) - pulseMs;
    if (taken.has(nearest) || abs(lateMs - delayMs) > strayMs) return;
    taken.add(nearest);
    landings.push({ pulse, lateMs });
  });
  return { landings, missed: pulses.length - landings.length, extra: onsets.length - taken.size };
}

/** The densest bundle of delays between any pulse and any onset that could answer it. */
function commonDelays(pulses: number[], onsets: number[], intervalMs: number): number[] {
  const delays: number[] = [];
  for (const pulseMs of pulses) {
    const from = bisectLeft(onsets, pulseMs - EARLY_SHARE * intervalMs);
    const to = bisectLeft(onsets, pulseMs + LATE_SHARE * intervalMs);
    for (let i = from; i < to; i++) delays.push((onsets[i] as number) - pulseMs);
  }
  delays.sort((a, b) => a - b);
  const widthMs = min(BUNDLE_MS, MOST_STRAY_SHARE * intervalMs);
  let best = { from: 0, to: 0 };
  for (let from = 0, to = 0; from < delays.length; from++) {
    while (to < delays.length && (delays[to] as number) - (delays[from] as number) <= widthMs) to++;
    // Of two bundles as thick, the nearer to the beat.
    const nearer = abs(delays[from] as number) < abs(delays[best.from] ?? 0);
    if (to - from > best.to - best.from || (to - from === best.to - best.from && nearer)) best = { from, to };
  }
  return delays.slice(best.from, best.to);
}
