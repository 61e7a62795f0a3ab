import { NORMAL_95 } from '../maths/fit-line';

export interface LandingComparison {
  /** How much later the second take lands than the first: the Hodges-Lehmann shift with its 95% interval, ms. */
  shiftMs: number;
  ci95Ms: [number, number];
  /** Two-sided p-value of the difference. */
  p: number;
  /** Whether the difference is significant. */
  told: boolean;
}

/** Cap on samples; pairs grow with n × m, precision barely does. */
const MOST = 1000;
const FEWEST = 4;

/**
 * Two takes of one device: the Wilcoxon rank-sum test (normal approximation with ties and continuity correction) and
 * its shift, which is robust against single outliers. Hollander and Wolfe, Nonparametric Statistical Methods, chapter
 * 4.
 * @throws RangeError if either has fewer than four landings.
 */
export function compareLandings(firstMs: ArrayLike<number>, secondMs: ArrayLike<number>): LandingComparison {
  const first = evenly(firstMs);
  const second = evenly(secondMs);
  const [n, m] = [first.length, second.length];
  if (n < FEWEST || m < FEWEST)
    throw new RangeError(`Each take needs at least ${FEWEST} landings to compare; these have ${n} and ${m}.`);
  const pairs = n * m;
  const differences = new Float64Array(pairs);
  let at = 0;
  let above = 0;
  for (let i = 0; i < n; i++)
    for (let j = 0; j < m; j++) {
      const difference = (second[j] as number) - (first[i] as number);
      differences[at++] = difference;
      if (difference > 0) above++;
      else if (difference === 0) above += 0.5;
    }
  differences.sort();
  const spread = Math.sqrt((pairs / 12) * (n + m + 1 - tieTerm(first, second)));
  const distance = Math.max(0, Math.abs(above - pairs / 2) - 0.5);
  const p = spread > 0 ? erfc(distance / spread / Math.SQRT2) : 1;
  const outside = Math.max(0, Math.floor(pairs / 2 - NORMAL_95 * spread));
  const low = differences[outside] as number;
  const high = differences[pairs - 1 - outside] as number;
  const lowMiddle = differences[(pairs - 1) >> 1] as number;
  const highMiddle = differences[pairs >> 1] as number;
  return { shiftMs: (lowMiddle + highMiddle) / 2, ci95Ms: [low, high], p, told: p < 0.05 };
}

/** Tie correction of the variance of the rank sum. */
function tieTerm(first: Float64Array, second: Float64Array): number {
  const all = Float64Array.of(...first, ...second).sort();
  const count = all.length;
  let ties = 0;
  for (let from = 0; from < count;) {
    let to = from + 1;
    while (to < count && all[to] === all[from]) to++;
    ties += (to - from) ** 3 - (to - from);
    from = to;
  }
  return ties / (count * (count - 1));
}

function evenly(values: ArrayLike<number>): Float64Array {
  const step = Math.max(1, values.length / MOST);
  const count = Math.min(values.length, MOST);
  return Float64Array.from({ length: count }, (_, i) => values[Math.floor(i * step)] as number);
}

/** The complementary error function, accurate to 1.2e-7 (Numerical Recipes, erfcc). */
function erfc(x: number): number {
  const t = 1 / (1 + x / 2);
  const series = [
    -1.26551223, 1.00002368, 0.37409196, 0.09678418, -0.18628806, 0.27886807, -1.13520398, 1.48851587, -0.82215223,
    0.17087277,
  ].reduceRight((sum, term) => term + t * sum, 0);
  return t * Math.exp(-x * x + series);
}
