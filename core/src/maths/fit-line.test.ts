import { linearRegression } from 'simple-statistics';
import { seededRandom } from '../standin/random';
import { fitLine } from './fit-line';

test('slope and intercept are those of simple-statistics', () => {
  const random = seededRandom(7);
  const x = Array.from({ length: 200 }, (_, i) => i * 20.8);
  const y = x.map((at) => 3 + 1.0001 * at + random.normal());
  const { m, b } = linearRegression(x.map((at, i) => [at, y[i]!]));
  const fit = fitLine(x, y);
  expect(fit.slope).toBeCloseTo(m, 9);
  expect(fit.at0).toBeCloseTo(b, 6);
  expect(fit.residualRms).toBeCloseTo(1, 0);
});

test('its standard error is that of handbooks, and large times lose no precision', () => {
  // y = 0, 1, 1: slope 1/2, residuals -1/6, 1/3, -1/6, so s² = 1/6 and the error of the slope is √(1/12).
  const later = 1e12;
  for (const fit of [
    fitLine([0, 1, 2], [0, 1, 1]),
    fitLine([later, later + 1, later + 2], [later, later + 1, later + 1]),
  ]) {
    expect(fit.slope).toBeCloseTo(0.5, 9);
    expect(fit.slopeError).toBeCloseTo(Math.sqrt(1 / 12), 9);
  }
});
