const { max, sqrt } = Math;

/** The 97.5% quantile of a normal distribution: half the width of a 95% interval, in standard errors. */
export const NORMAL_95 = 1.959964;

export interface LineFit {
  slope: number;
  /** Value at x = 0. */
  at0: number;
  /** Of the points around the line, with n − 2 degrees of freedom. */
  residualRms: number;
  /** Standard error of the slope, for independent errors. */
  slopeError: number;
}

/**
 * Ordinary least squares of y over x (two at least, not all at one x). Sums are taken from the first point, so
 * that large times lose no precision.
 */
export function fitLine(x: ArrayLike<number>, y: ArrayLike<number>): LineFit {
  const n = x.length;
  const [x0, y0] = [x[0] as number, y[0] as number];
  let [sumX, sumY] = [0, 0];
  for (let i = 0; i < n; i++) {
    sumX += (x[i] as number) - x0;
    sumY += (y[i] as number) - y0;
  }
  // Relative to the first point.
  const [meanX, meanY] = [sumX / n, sumY / n];
  let [xx, xy] = [0, 0];
  for (let i = 0; i < n; i++) {
    const dx = (x[i] as number) - x0 - meanX;
    xx += dx * dx;
    xy += dx * ((y[i] as number) - y0 - meanY);
  }
  const slope = xy / xx;
  const at0 = y0 + meanY - slope * (x0 + meanX);
  let rest = 0;
  for (let i = 0; i < n; i++) {
    const off = (y[i] as number) - y0 - meanY - slope * ((x[i] as number) - x0 - meanX);
    rest += off * off;
  }
  const residualRms = sqrt(rest / max(1, n - 2));
  return { slope, at0, residualRms, slopeError: residualRms / sqrt(xx) };
}
