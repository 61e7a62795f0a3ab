/**
 * The median of sorted values and its 95% confidence interval: order statistics, interpolated after Hettmansperger and
 * Sheather, "Confidence intervals based on interpolated order statistics" (1986). Distribution-free. With fewer than
 * six values no such interval reaches 95%: the whole range is returned.
 * @throws RangeError if there are no values.
 */
export function medianInterval(sorted: ArrayLike<number>): { median: number; ci95: [number, number] } {
  const n = sorted.length;
  if (n === 0) throw new RangeError('No values to take a median of.');
  const at = (rank: number) => sorted[rank - 1] as number;
  const median = (at(Math.floor((n + 1) / 2)) + at(Math.ceil((n + 1) / 2))) / 2;

  // Depth d: between the d-th smallest and the d-th largest, the confidence is 1 - 2 P(B < d), B ~ binomial(n, 1/2).
  const half = Math.floor(n / 2);
  let depth = 1;
  let logTerm = -n * Math.LN2;
  let below = Math.exp(logTerm);
  let confidence = 1 - 2 * below;
  if (confidence < 0.95 || half < 2) return { median, ci95: [at(1), at(n)] };
  let deeper = confidence;
  for (; depth < half; depth++) {
    logTerm += Math.log((n - depth + 1) / depth);
    below += Math.exp(logTerm);
    deeper = 1 - 2 * below;
    if (deeper < 0.95) break;
    confidence = deeper;
  }
  const share = deeper < confidence ? (confidence - 0.95) / (confidence - deeper) : 0;
  const weight = ((n - depth) * share) / (depth + (n - 2 * depth) * share);
  const between = (outer: number, inner: number) => (1 - weight) * at(outer) + weight * at(inner);
  return { median, ci95: [between(depth, depth + 1), between(n - depth + 1, n - depth)] };
}
