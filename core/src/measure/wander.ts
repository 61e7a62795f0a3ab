import { maximumTimeIntervalErrors, overlappingAndModified } from './deviations';

/** Stability over one averaging time. */
export interface WanderPoint {
  tauMs: number;
  /** Dimensionless: ms of time error per ms. */
  allanDeviation: number;
  /** ms */
  timeDeviation: number;
  /** MTIE: the largest change of the time error within any stretch this long, ms. */
  mtie: number;
}

export interface Wander {
  points: WanderPoint[];
  /** The longest named stretch covered by the data, and half the time error's range within any such stretch, ms. */
  steady: { overMs: number; withinMs: number } | null;
}

const POINTS_PER_DECADE = 4;
const MINUTE_MS = 60_000;
/** Stretches with an everyday name. */
const NAMED_MS = [3_600_000, 600_000, MINUTE_MS, 10_000, 1000];

/**
 * Wander over all averaging times the data is long enough for, in logarithmic steps: Allan and time deviation (NIST SP
 * 1065) and MTIE (ITU-T G.810). `timeErrorMs` is equally spaced by `tau0Ms`.
 */
export function measureWander(timeErrorMs: ArrayLike<number>, tau0Ms: number): Wander {
  const n = timeErrorMs.length;
  const factors: number[] = [];
  for (let k = 0; ; k++) {
    const m = Math.round(10 ** (k / POINTS_PER_DECADE));
    if (3 * m + 1 > n) break;
    if (m !== factors.at(-1)) factors.push(m);
  }
  const overMs = steadyStretch((n - 1) * tau0Ms);
  const over = Math.round((overMs ?? 0) / tau0Ms);
  // All in one pass, since each is derived from the one before.
  const windows = [...factors, ...(over > 0 ? [over] : [])].sort((a, b) => a - b);
  const errors = maximumTimeIntervalErrors(timeErrorMs, windows);
  const mtie = new Map(windows.map((m, i) => [m, errors[i] as number]));
  const points = factors.map((m): WanderPoint => {
    const tauMs = m * tau0Ms;
    const { overlapping, modified } = overlappingAndModified(timeErrorMs, tau0Ms, m);
    return {
      tauMs,
      allanDeviation: overlapping,
      // As NIST SP 1065, 5.2.6.
      timeDeviation: (tauMs / Math.sqrt(3)) * modified,
      mtie: mtie.get(m) as number,
    };
  });
  const most = mtie.get(over);
  return { points, steady: overMs === undefined || most === undefined ? null : { overMs, withinMs: most / 2 } };
}

function steadyStretch(lengthMs: number): number | undefined {
  return NAMED_MS.find((ms) => ms * 2 <= lengthMs) ?? NAMED_MS.find((ms) => ms <= lengthMs);
}
