/*
 * Names and formulas of NIST Special Publication 1065, Handbook of Frequency Stability Analysis. `phase`: time errors,
 * equally spaced by `tau0`; `m`: the averaging factor, so that tau is m tau0. Units out are those in (of phase for the time
 * deviation and MTIE, of phase per tau for the Allan family). Each throws a RangeError when the phase is too short for m.
 */

const { sqrt } = Math;

/** Without overlap: every m-th point of the phase. NIST SP 1065, 5.2.2. */
export function allanDeviation(phase: ArrayLike<number>, tau0: number, m: number): number {
  check(phase, tau0, m, 2);
  let sum = 0;
  let count = 0;
  for (let i = 0; i + 2 * m < phase.length; i += m, count++) sum += secondDifference(phase, i, m) ** 2;
  return sqrt(sum / (2 * count)) / (m * tau0);
}

/** NIST SP 1065, 5.2.4. */
export function overlappingAllanDeviation(phase: ArrayLike<number>, tau0: number, m: number): number {
  check(phase, tau0, m, 2);
  return overlappingAndModified(phase, tau0, m).overlapping;
}

/** NIST SP 1065, 5.2.5. */
export function modifiedAllanDeviation(phase: ArrayLike<number>, tau0: number, m: number): number {
  check(phase, tau0, m, 3);
  return overlappingAndModified(phase, tau0, m).modified;
}

/**
 * Both in one pass over the points: for a million of them, memory access costs more than arithmetic. The modified
 * deviation averages second differences over m points with a running sum; it is NaN if there are too few points.
 */
export function overlappingAndModified(
  phase: ArrayLike<number>,
  tau0: number,
  m: number,
): { overlapping: number; modified: number } {
  check(phase, tau0, m, 2);
  const x = asFloats(phase);
  const singles = x.length - 2 * m;
  const windows = x.length - 3 * m + 1;
  let squares = 0;
  let averaged = 0;
  let window = 0;
  for (let i = 0; i < Math.min(m, singles); i++) window += secondDifference(x, i, m);
  for (let i = 0; i < windows - 1; i++) {
    const x0 = x[i] as number;
    const x1 = x[i + m] as number;
    const x2 = x[i + 2 * m] as number;
    const difference = x2 - 2 * x1 + x0;
    squares += difference * difference;
    averaged += window * window;
    // Add the difference at i + m, subtract the one at i.
    window += (x[i + 3 * m] as number) - 3 * x2 + 3 * x1 - x0;
  }
  averaged += window * window;
  for (let i = Math.max(0, windows - 1); i < singles; i++) squares += secondDifference(x, i, m) ** 2;
  return {
    overlapping: sqrt(squares / (2 * singles)) / (m * tau0),
    modified: windows > 0 ? sqrt(averaged / (2 * windows)) / (m * m * tau0) : NaN,
  };
}

/** NIST SP 1065, 5.2.6: tau / sqrt(3) times the modified Allan deviation. */
export function timeDeviation(phase: ArrayLike<number>, tau0: number, m: number): number {
  return ((m * tau0) / sqrt(3)) * modifiedAllanDeviation(phase, tau0, m);
}

/** The largest peak-to-peak time error in any window of m intervals (ITU-T G.810). */
export function maximumTimeIntervalError(phase: ArrayLike<number>, m: number): number {
  return maximumTimeIntervalErrors(phase, [m])[0] as number;
}

/**
 * The same for several windows of increasing length. The maximum over a window is the maximum of two shorter windows
 * that cover it, so each length takes one pass over the points, or a few if it more than doubles.
 */
export function maximumTimeIntervalErrors(phase: ArrayLike<number>, factors: readonly number[]): number[] {
  const high = Float64Array.from(phase);
  const low = Float64Array.from(phase);
  let points = 1;
  return factors.map((m) => {
    check(phase, 1, m, 1);
    if (m + 1 < points) throw new RangeError(`Window lengths must increase: ${m} comes after ${points - 1}.`);
    let largest = 0;
    do {
      const wanted = Math.min(m + 1, 2 * points);
      largest = widen(high, low, wanted - points, phase.length - wanted + 1);
      points = wanted;
    } while (points < m + 1);
    return largest;
  });
}

/**
 * Extends the windows starting at each of `count` points by the window that starts `by` later. Returns the widest
 * range.
 */
function widen(high: Float64Array, low: Float64Array, by: number, count: number): number {
  let largest = 0;
  for (let i = 0; i < count; i++) {
    let top = high[i] as number;
    let bottom = low[i] as number;
    const otherTop = high[i + by] as number;
    const otherBottom = low[i + by] as number;
    if (otherTop > top) high[i] = top = otherTop;
    if (otherBottom < bottom) low[i] = bottom = otherBottom;
    const range = top - bottom;
    if (range > largest) largest = range;
  }
  return largest;
}

/** Keep call sites monomorphic: hot loops over a single array type run several times faster. */
function asFloats(phase: ArrayLike<number>): Float64Array {
  return phase instanceof Float64Array ? phase : Float64Array.from(phase);
}

function secondDifference(phase: ArrayLike<number>, i: number, m: number): number {
  return (phase[i + 2 * m] as number) - 2 * (phase[i + m] as number) + (phase[i] as number);
}

function check(phase: ArrayLike<number>, tau0: number, m: number, spans: number): void {
  if (!(Number.isInteger(m) && m >= 1))
    throw new RangeError(`The averaging factor must be a whole number of at least 1, not ${m}.`);
  if (!(tau0 > 0)) throw new RangeError(`The sample spacing must be greater than 0, not ${tau0}.`);
  if (phase.length < spans * m + 1)
    throw new RangeError(`An averaging factor of ${m} needs ${spans * m + 1} points; only ${phase.length} available.`);
}
