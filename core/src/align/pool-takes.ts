/** A follower's latency without its offset according to one take, with half the width of its 95% interval. */
export interface NaturalLateness {
  lateMs: number;
  doubtMs: number;
}

export interface PooledLateness extends NaturalLateness {
  /** Number of takes combined. */
  takes: number;
  /** The previous take, if it contradicts the newest, so that neither can be trusted. */
  contradictedBy: NaturalLateness | null;
}

/** Variation between starts beyond what each take shows (common practice, no source). */
const FROM_TAKE_TO_TAKE_MS = 0.5;
/** Lower bound on a take's uncertainty, however consistent its beats. */
const MIN_DOUBT_MS = 0.05;
const MAX_TAKES = 5;

/**
 * Whether two takes of one follower agree: 95% of pairs that measure the same value differ by less than the root sum of
 * squares of their half-widths (spread of a difference of independent values).
 */
export function takesAgree(a: NaturalLateness, b: NaturalLateness): boolean {
  return Math.abs(a.lateMs - b.lateMs) <= Math.hypot(a.doubtMs, b.doubtMs) + FROM_TAKE_TO_TAKE_MS;
}

/**
 * Combines the last takes of one follower, newest first: the mean of those that agree with the newest, weighted by
 * inverse variance (the minimum-variance mean of independent values).
 * @throws RangeError if there are none.
 */
export function poolTakes(takes: readonly NaturalLateness[]): PooledLateness {
  const [newest, before] = takes;
  if (!newest) throw new RangeError('No takes to combine.');
  const agreeing = takes.slice(0, MAX_TAKES).filter((one) => takesAgree(newest, one));
  const weights = agreeing.map(({ doubtMs }) => 1 / Math.max(MIN_DOUBT_MS, doubtMs) ** 2);
  const all = weights.reduce((sum, weight) => sum + weight, 0);
  const lateMs = agreeing.reduce((sum, one, i) => sum + one.lateMs * (weights[i] ?? 0), 0) / all;
  return {
    lateMs,
    doubtMs: 1 / Math.sqrt(all),
    takes: agreeing.length,
    contradictedBy: before && !takesAgree(newest, before) ? before : null,
  };
}
