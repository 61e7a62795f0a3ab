import { bisectCenter, median } from 'd3-array';
import { matchOnsets, type Landing } from './match-onsets';
import { reportLatency, type LatencyReport } from './measure-latency';

export interface FollowingReport {
  /** Before the change began, and from when the follower had it. */
  before: LatencyReport;
  after: LatencyReport;
  /** From the end of the change to the first beat from which it stays near its later median; null when it never does. */
  settledMs: number | null;
  /** The furthest it strayed from where it would have been, from the beginning of the change until it had settled, ms; plus is late. */
  strayMs: number;
  /** How much later it is at the second tempo than at the first, with a 95 % interval; ms. */
  dependsMs: { differenceMs: number; ci95Ms: [number, number]; told: boolean };
}

/** As near as two clicks that are heard as one (common practice: 1 to 2 ms). */
const NEAR_MS = 2;
const FEWEST_BEATS = 8;

/**
 * How a follower takes a change of tempo. `pulsesMs`: when each beat was due by the tempo map; `onsetsMs`: what was heard;
 * the change lasts from `fromMs` to `toMs`, which are one moment for a step.
 * @throws RangeError when there are fewer than eight beats before the change or after it.
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
  if (count((ms) => ms < fromMs) < FEWEST_BEATS || count((ms) => ms >= toMs) < FEWEST_BEATS)
    throw new RangeError(`A change of tempo needs ${FEWEST_BEATS} beats before it and ${FEWEST_BEATS} after it.`);
  const at = (pulse: number) => pulses[pulse] as number;
  const matched = matchOnsets(
    pulses.filter((ms) => ms < fromMs),
    Array.from(input.onsetsMs).filter((ms) => ms < fromMs),
  );
  const early = matched.landings;
  // While it strays, what it plays is not where most of it is: each beat takes the hit nearest to where it was before.
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

/** Of each beat the hit nearest to its usual place, if that is nearer to it than to the beats beside it. */
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

/** Two medians with intervals of their own: the interval of their difference is the root of the sum of squares. */
function difference(before: LatencyReport, after: LatencyReport): FollowingReport['dependsMs'] {
  const half = ({ ci95Ms: [low, high] }: LatencyReport) => (high - low) / 2;
  const differenceMs = after.medianMs - before.medianMs;
  const doubt = Math.hypot(half(before), half(after));
  return { differenceMs, ci95Ms: [differenceMs - doubt, differenceMs + doubt], told: Math.abs(differenceMs) > doubt };
}
