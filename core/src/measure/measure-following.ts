import { bisectCenter, median } from 'd3-array';
import { matchOnsets, type Landing } from './match-onsets';
import { reportLatency, type LatencyReport } from './measure-latency';

export interface FollowingReport {
  /** Before the change, and once the follower has settled. */
  before: LatencyReport;
  after: LatencyReport;
  /** From the end of the change to the first beat from which it stays near its final median; null if it never does. */
  settledMs: number | null;
  /** Largest deviation between the start of the change and settling, ms; plus is late. */
  strayMs: number;
  /** Change of latency from the first tempo to the second, with its 95% interval; ms. */
  dependsMs: { differenceMs: number; ci95Ms: [number, number]; told: boolean };
}

/** Two clicks this close sound like one (common practice: 1 to 2 ms). */
const NEAR_MS = 2;
const MIN_BEATS = 8;

/**
 * How a follower handles a tempo change. `pulsesMs`: due times of the beats by the tempo map; `onsetsMs`: detected
 * hits; the change lasts from `fromMs` to `toMs`, which are equal for a step.
 * @throws RangeError if there are fewer than eight beats before or after the change.
 */
export function measureFollowing(input: {
  pulsesMs: ArrayLike<number>;
  onsetsMs: ArrayLike<number>;
  fromMs: number;
  toMs: number;
}): FollowingReport {
  const { fromMs, toMs } = input;
  const pulses = Array.from(input.pulsesMs);
  const count = (test: (ms: number) => boolean) => pulses.filter(test).length;
  if (count((ms) => ms < fromMs) < MIN_BEATS || count((ms) => ms >= toMs) < MIN_BEATS)
    throw new RangeError(
      `Too few beats: at least ${MIN_BEATS} are needed before the tempo change and ${MIN_BEATS} after it. Repeat the take.`,
    );
  const at = (pulse: number) => pulses[pulse] as number;
  const matched = matchOnsets(
    pulses.filter((ms) => ms < fromMs),
    Array.from(input.onsetsMs).filter((ms) => ms < fromMs),
  );
  const early = matched.landings;
  // During the change the common delay is no guide: match each beat to the hit closest to its usual delay.
  const usualMs = median(early, ({ lateMs }) => lateMs) ?? 0;
  const changed = nearest(pulses, Array.from(input.onsetsMs), usualMs).filter(({ pulse }) => at(pulse) >= fromMs);
  const late = changed.filter(({ pulse }) => at(pulse) >= toMs);
  const lastHalf = late.slice(Math.floor(late.length / 2));
  const before = reportLatency({ landings: early, missed: matched.missed, extra: matched.extra });
  const restsAt = median(lastHalf, ({ lateMs }) => lateMs) ?? NaN;
  const settled = late.findIndex((_, i) =>
    late.slice(i).every(({ lateMs }) => Math.abs(lateMs - restsAt) <= NEAR_MS + before.spreadMs * 3),
  );
  const steady = settled < 0 ? lastHalf : late.slice(settled);
  const after = reportLatency({ landings: steady, missed: 0, extra: 0 });
  const [first] = steady;
  const meanwhile = changed.filter(({ pulse }) => !first || pulse < first.pulse);
  return {
    before,
    after,
    settledMs: settled < 0 || !first ? null : Math.max(0, at(first.pulse) - toMs),
    strayMs: furthest(meanwhile.map(({ lateMs }) => lateMs - before.medianMs)),
    dependsMs: difference(before, after),
  };
}

/** For each beat, the hit closest to its usual delay, unless it is closer to a neighboring beat. */
function nearest(pulses: readonly number[], onsets: readonly number[], usualMs: number): Landing[] {
  return pulses.flatMap((pulseMs, pulse) => {
    const gapMs = Math.min(pulseMs - (pulses[pulse - 1] ?? -Infinity), (pulses[pulse + 1] ?? Infinity) - pulseMs);
    const hitMs = onsets[bisectCenter(onsets, pulseMs + usualMs)];
    if (hitMs === undefined || Math.abs(hitMs - pulseMs - usualMs) > gapMs / 2) return [];
    return [{ pulse, lateMs: hitMs - pulseMs }];
  });
}

function furthest(values: readonly number[]): number {
  return values.reduce((far, value) => (Math.abs(value) > Math.abs(far) ? value : far), 0);
}

/** Difference of two medians with independent intervals: half-widths add as root sum of squares. */
function difference(before: LatencyReport, after: LatencyReport): FollowingReport['dependsMs'] {
  const half = ({ ci95Ms: [low, high] }: LatencyReport) => (high - low) / 2;
  const differenceMs = after.medianMs - before.medianMs;
  const doubt = Math.hypot(half(before), half(after));
  return { differenceMs, ci95Ms: [differenceMs - doubt, differenceMs + doubt], told: Math.abs(differenceMs) > doubt };
}
