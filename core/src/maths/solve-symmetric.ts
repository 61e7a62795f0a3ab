const { abs } = Math;

/**
 * Solves a symmetric, positive definite system by Gauss-Jordan elimination. Rows hold the matrix with the right-hand side
 * appended, and are overwritten.
 */
export function solveSymmetric(rows: Float64Array[]): Float64Array {
  const n = rows.length;
  for (let k = 0; k < n; k++) {
    const pivot = rows[k] as Float64Array;
    const size = pivot[k] as number;
    if (abs(size) < 1e-12) continue;
    for (let c = k; c <= n; c++) pivot[c] = (pivot[c] as number) / size;
    rows.forEach((row, r) => {
      const by = row[k] as number;
      if (r === k || by === 0) return;
      for (let c = k; c <= n; c++) row[c] = (row[c] as number) - by * (pivot[c] as number);
    });
  }
  return Float64Array.from(rows, (row) => row[n] as number);
}
