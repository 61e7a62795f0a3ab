import { bisectCenter, bisectLeft, median } from 'd3-array';

const { abs, max, min } = Math;

/** One detected hit: how late (+) or early (-) relative to its pulse. */
export interface Landing {
  /** Pulse index, from 0. */
  pulse: number;
  lateMs: number;
}

export interface Matching {
  landings: Landing[];
  /** Pulses without a hit. */
  missed: number;
  /** Onsets that match no pulse. */
  extra: number;
}

/** How late hits may be, ms, from and to. */
export type LateRange = readonly [fromMs: number, toMs: number];

/** Share of the interval searched before a pulse; the rest is after it, because gear is late more often than early. */
const EARLY_SHARE = 0.25;
const LATE_SHARE = 0.75;
/** Assumed interval if there is only one pulse. */
const LONE_INTERVAL_MS = 500;
/** Width of a cluster of delays in the first search. */
const BUNDLE_MS = 12;
/** Hits further than this many spreads from the median are other hits. */
const STRAY_SPREADS = 8;
const MIN_STRAY_MS = 4;
const MAX_STRAY_SHARE = 0.25;

/**
 * Matches onsets to pulses. The delay that most pulses agree on is found first, so that half a beat of latency is
 * unambiguous and a missing or double hit shifts nothing; then each pulse takes the onset closest to that delay. Both
 * series are in ms on one timeline, in order. With a `range` longer than the interval, pulses that aren’t evenly spaced
 * tell which pulse a hit belongs to.
 */
export function matchOnsets(pulsesMs: ArrayLike<number>, onsetsMs: ArrayLike<number>, range?: LateRange): Matching {
  const pulses = Array.from(pulsesMs);
  const onsets = Array.from(onsetsMs);
  const intervalMs = median(pulses.slice(1), (ms, i) => ms - (pulses[i] as number)) ?? LONE_INTERVAL_MS;
  const searched = range ?? [-EARLY_SHARE * intervalMs, LATE_SHARE * intervalMs];
  const delays = commonDelays(pulses, onsets, searched, min(BUNDLE_MS, MAX_STRAY_SHARE * intervalMs));
  if (delays.length === 0) return { landings: [], missed: pulses.length, extra: onsets.length };

  const delayMs = median(delays) ?? 0;
  const spreadMs = 1.4826 * (median(delays, (delay) => abs(delay - delayMs)) ?? 0);
  const strayMs = min(max(MIN_STRAY_MS, STRAY_SPREADS * spreadMs), MAX_STRAY_SHARE * intervalMs);
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

/** The densest cluster of delays between any pulse and any onset that could match it. */
function commonDelays(pulses: number[], onsets: number[], [fromMs, toMs]: LateRange, widthMs: number): number[] {
  const delays: number[] = [];
  for (const pulseMs of pulses) {
    const from = bisectLeft(onsets, pulseMs + fromMs);
    const to = bisectLeft(onsets, pulseMs + toMs);
    for (let i = from; i < to; i++) delays.push((onsets[i] as number) - pulseMs);
  }
  delays.sort((a, b) => a - b);
  let best = { from: 0, to: 0 };
  for (let from = 0, to = 0; from < delays.length; from++) {
    while (to < delays.length && (delays[to] as number) - (delays[from] as number) <= widthMs) to++;
    // Tie-break: prefer the cluster closer to the beat.
    const nearer = abs(delays[from] as number) < abs(delays[best.from] ?? 0);
    if (to - from > best.to - best.from || (to - from === best.to - best.from && nearer)) best = { from, to };
  }
  return delays.slice(best.from, best.to);
}
