import { solveSymmetric } from '../maths/solve-symmetric';

const ORDER = 64;
/** Keeps the weights finite where the sound is silent or a few pure tones. */
const RIDGE = 1e-9;

/**
 * The weights that best predict each sample from the 64 before it, by least squares over the first `until` samples (the
 * covariance method of linear prediction). A ringing tail follows them; the attack of another sound does not.
 */
export function predictorOf(values: Float64Array, until: number): Float64Array {
  const rows = Array.from({ length: ORDER }, () => new Float64Array(ORDER + 1));
  const before = (i: number, k: number) => values[i - 1 - k] ?? 0;
  for (let i = ORDER; i < until; i++)
    rows.forEach((row, r) => {
      for (let c = 0; c < ORDER; c++) row[c] = (row[c] as number) + before(i, r) * before(i, c);
      row[ORDER] = (row[ORDER] as number) + before(i, r) * (values[i] as number);
    });
  const [[power = 0] = []] = rows;
  rows.forEach((row, r) => (row[r] = (row[r] as number) + RIDGE * power));
  return solveSymmetric(rows);
}

/** What a prediction leaves of each sample; the first ones, which nothing precedes, are 0. */
export function unpredicted(values: Float64Array, weights: Float64Array): Float64Array {
  return values.map((value, i) => {
    if (i < weights.length) return 0;
    let predicted = 0;
    for (let k = 0; k < weights.length; k++) predicted += (weights[k] as number) * (values[i - 1 - k] as number);
    return value - predicted;
  });
}
