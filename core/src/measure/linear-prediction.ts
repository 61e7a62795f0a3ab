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
  // Row r, column c: the sum of products of the values r and c before each; the same for c and r.
  for (const [r, row] of rows.entries()) {
    for (let c = r; c < ORDER; c++) {
      let sum = 0;
      for (let i = ORDER; i < until; i++) sum += (values[i - 1 - r] as number) * (values[i - 1 - c] as number);
      row[c] = sum;
      (rows[c] as Float64Array)[r] = sum;
    }
    for (let i = ORDER; i < until; i++)
      row[ORDER] = (row[ORDER] as number) + (values[i - 1 - r] as number) * (values[i] as number);
  }
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
