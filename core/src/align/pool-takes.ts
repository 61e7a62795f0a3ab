/** Where a follower would land with no offset, by one take, and half of the 95 % interval of that. */
export interface NaturalLateness {
  lateMs: number;
  doubtMs: number;
}

export interface PooledLateness extends NaturalLateness {
  /** How many takes it was made of. */
  takes: number;
  /** Where the take before the newest says something else, so that neither can be trusted: what that says. */
  contradictedBy: NaturalLateness | null;
}

/** So much may two takes differ from start to start, besides what each of them shows (common practice, no source). */
const FROM_TAKE_TO_TAKE_MS = 0.5;
/** No take is trusted more than this, however even it was. */
const LEAST_DOUBT_MS = 0.05;
const MOST_TAKES = 5;

/**
 * Whether two takes of one follower say the same: 95 of 100 pairs that measure the same thing lie within the root of the sum
 * of the squares of their doubts (the spread of a difference of independent values).
 */
export function takesAgree(a: NaturalLateness, b: NaturalLateness): boolean {
  return Math.abs(a.lateMs - b.lateMs) <= Math.hypot(a.doubtMs, b.doubtMs) + FROM_TAKE_TO_TAKE_MS;
}

/**
 * What the last takes of one follower say together, newest first: the mean of those that agree with the newest, each with
 * the weight of the inverse square of its doubt (the minimum-variance mean of independent values).
 * @throws RangeError when there is none.
 */
export function poolTakes(takes: readonly NaturalLateness[]): PooledLateness {
  const [newest, before] = takes;
  if (!newest) throw new RangeError('There is no take to go by.');
  const agreeing = takes.slice(0, MOST_TAKES).filter((one) => takesAgree(newest, one));
  const weights = agreeing.map(({ doubtMs }) => 1 / Math.max(LEAST_DOUBT_MS, doubtMs) ** 2);
  const all = weights.reduce((sum, weight) => sum + weight, 0);
  const lateMs = agreeing.reduce((sum, one, i) => sum + one.lateMs * (weights[i] ?? 0), 0) / all;
  return {
    lateMs,
    doubtMs: 1 / Math.sqrt(all),
    takes: agreeing.length,
    contradictedBy: before && !takesAgree(newest, before) ? before : null,
  };
}
