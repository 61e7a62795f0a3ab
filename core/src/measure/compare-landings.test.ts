import { wilcoxonRankSum } from 'simple-statistics';
import { seededRandom } from '../standin/random';
import { compareLandings } from './compare-landings';

// Permeability of the human placenta, Hollander and Wolfe, table 4.1; also the example of R's wilcox.test: W = 35 and a
// shift of 0.305. Values from memory.
const early = [0.8, 0.83, 1.89, 1.04, 1.45, 1.38, 1.91, 1.64, 0.73, 1.46];
const later = [1.15, 0.88, 0.9, 0.74, 1.21];

test('the handbook’s worked example: a shift of 0.305, not significant', () => {
  const { shiftMs, ci95Ms, told } = compareLandings(later, early);
  expect(shiftMs).toBeCloseTo(0.305, 10);
  // R's exact interval is -0.15 to 0.76 at 95.4%; this is the normal approximation.
  expect(ci95Ms[0]).toBeCloseTo(-0.15, 1);
  expect(ci95Ms[1]).toBeCloseTo(0.76, 1);
  expect(told).toBe(false);
});

// SciPy's documentation of mannwhitneyu: ages at diagnosis, p = 0.11134688653314041 by the normal approximation; from memory.
test('the p-value matches a general library', () => {
  expect(compareLandings([19, 22, 16, 29, 24], [20, 11, 17, 12]).p).toBeCloseTo(0.11134688653314041, 6);
});

test('the underlying rank sum matches simple-statistics', () => {
  const { shiftMs } = compareLandings(later, early);
  expect(wilcoxonRankSum(early, later) - (early.length * (early.length + 1)) / 2).toBe(35);
  expect(shiftMs).toBeGreaterThan(0);
});

test('equal takes are significant in 5% of cases; a shift as wide as the spread always is', () => {
  const { normal } = seededRandom(7);
  const take = (shift: number) => Array.from({ length: 32 }, () => normal() + shift);
  const told = (shift: number) =>
    Array.from({ length: 400 }, () => compareLandings(take(0), take(shift))).filter((one) => one.told).length / 400;
  expect(told(0)).toBeGreaterThan(0.02);
  expect(told(0)).toBeLessThan(0.085);
  expect(told(1)).toBeGreaterThan(0.95);
});

test('the interval contains the true shift in 95% of cases', () => {
  const { normal } = seededRandom(8);
  const holds = Array.from({ length: 400 }, () => {
    const [first, second] = [0, 1.5].map((shift) => Array.from({ length: 32 }, () => 2 * normal() + shift));
    const { ci95Ms } = compareLandings(first!, second!);
    return ci95Ms[0] <= 1.5 && ci95Ms[1] >= 1.5;
  }).filter(Boolean).length;
  expect(holds / 400).toBeGreaterThan(0.92);
  expect(holds / 400).toBeLessThan(0.98);
});

test('identical landings are no difference; three are too few', () => {
  expect(compareLandings([5, 5, 5, 5], [5, 5, 5, 5])).toMatchObject({ shiftMs: 0, ci95Ms: [0, 0], told: false });
  expect(() => compareLandings([1, 2, 3], [1, 2, 3, 4])).toThrow(
    'needs at least 4 landings to compare; these have 3 and 4',
  );
});
