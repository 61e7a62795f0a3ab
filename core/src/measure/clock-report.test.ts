import { quantile, standardDeviation } from 'simple-statistics';
import { seededRandom } from '../standin/random';
import {
  allanDeviation,
  maximumTimeIntervalError,
  modifiedAllanDeviation,
  overlappingAllanDeviation,
  timeDeviation,
} from './deviations';
import { measureClock, readClock } from './measure-clock';
import { measureDrift } from './measure-drift';
import { measureWander } from './wander';

// NIST Special Publication 1065, the nine-point data set (values recalled, not copied from the page).
const frequency = [892, 809, 823, 798, 671, 644, 883, 903, 677];
const phase = frequency.reduce<number[]>((sums, y) => [...sums, (sums.at(-1) ?? 0) + y], [0]);

test.each([
  ['Allan, m 1', allanDeviation(phase, 1, 1), 91.22945],
  ['Allan, m 2', allanDeviation(phase, 1, 2), 115.8082],
  ['overlapping Allan, m 2', overlappingAllanDeviation(phase, 1, 2), 85.95287],
  ['modified Allan, m 2', modifiedAllanDeviation(phase, 1, 2), 74.78849],
  ['time deviation, m 1', timeDeviation(phase, 1, 1), 52.67135],
  ['time deviation, m 2', timeDeviation(phase, 1, 2), 86.35831],
])('%s matches NIST SP 1065 in every digit', (_, value, published) => {
  const digits = String(published).split('.')[1]!.length;
  expect(Number(value.toFixed(digits))).toBe(published);
});

test('MTIE is the largest peak to peak in any window, as defined by ITU-T G.810, computed the slow way', () => {
  const random = seededRandom(70);
  const noise = Array.from({ length: 300 }, () => random.normal());
  for (const m of [1, 2, 7, 50, 299]) {
    const windows = noise.slice(0, noise.length - m).map((_, i) => noise.slice(i, i + m + 1));
    const slow = Math.max(...windows.map((window) => Math.max(...window) - Math.min(...window)));
    expect(maximumTimeIntervalError(noise, m)).toBe(slow);
  }
  expect(maximumTimeIntervalError([0, 1, 2, 3], 2)).toBe(2);
});

test('data too short for the averaging factor is rejected', () => {
  expect(() => allanDeviation([0, 1, 2], 1, 2)).toThrow(/needs 5 points; only 3 available/);
  expect(() => modifiedAllanDeviation([0, 1, 2], 1, 1)).toThrow(RangeError);
  expect(() => maximumTimeIntervalError([0, 1], 0)).toThrow(/whole number/);
});

const clock = (ticks: number, { bpm = 120, sigma = 1, seed = 1, ppm = 0 } = {}) => {
  const random = seededRandom(seed);
  const tickMs = 60_000 / bpm / 24 / (1 + ppm / 1e6);
  return Array.from({ length: ticks }, (_, k) => 500 + k * tickMs + sigma * random.normal());
};

test('a steady clock has no jitter; at 120 BPM a tick is 20.8333 ms (plain arithmetic)', () => {
  const { bpm, jitterRmsMs, missing, extra } = measureClock(clock(2400, { sigma: 0 }));
  expect(bpm).toBeCloseTo(120, 9);
  expect(jitterRmsMs).toBeLessThan(1e-9);
  expect([missing, extra]).toEqual([0, 0]);
  expect(readClock(clock(100, { sigma: 0 })).intervalMs).toBeCloseTo(20.8333, 4);
});

test('jitter, percentiles and intervals match a general library', () => {
  const times = clock(5000, { sigma: 1.2 });
  const { report, timeErrorMs } = readClock(times);
  expect(report.jitterRmsMs).toBeCloseTo(1.2, 1);
  expect(report.jitterRmsMs).toBeCloseTo(standardDeviation([...timeErrorMs]), 3);
  const sizes = [...timeErrorMs].map(Math.abs);
  expect(report.percentilesMs.p95).toBeCloseTo(quantile(sizes, 0.95), 2);
  const intervals = times.slice(1).map((ms, i) => ms - times[i]!);
  expect(report.intervalRmsMs).toBeCloseTo(standardDeviation(intervals), 6);
});

test('the tempo’s standard error is honest: never below Cramér-Rao, and right in two of three runs', () => {
  const errors: number[] = [];
  let within = 0;
  for (let seed = 0; seed < 400; seed++) {
    const { bpm, bpmStandardError } = measureClock(clock(96, { seed: 1000 + seed }));
    errors.push(bpm - 120);
    if (Math.abs(bpm - 120) < bpmStandardError) within++;
  }
  // At 120 BPM, sigma 1 ms and N 96 the bound is 0.021 BPM (references: Cramér-Rao).
  const bound = (120 / (60_000 / 120 / 24)) * Math.sqrt(12 / (96 ** 3 - 96));
  expect(bound).toBeCloseTo(0.021, 3);
  expect(standardDeviation(errors) / bound).toBeGreaterThan(0.9);
  expect(standardDeviation(errors) / bound).toBeLessThan(1.1);
  expect(within / 400).toBeGreaterThan(0.6);
  expect(within / 400).toBeLessThan(0.76);
});

test('missing and duplicate ticks are counted and move nothing', () => {
  const times = clock(1000, { sigma: 0.5 });
  const spoilt = [
    ...times.slice(0, 100),
    ...times.slice(101, 400),
    times[400]!,
    times[400]! + 3,
    ...times.slice(401, 700),
    ...times.slice(703),
  ];
  const { bpm, missing, extra, jitterRmsMs } = measureClock(spoilt.sort((a, b) => a - b));
  expect([missing, extra]).toEqual([4, 1]);
  expect(bpm).toBeCloseTo(120, 1);
  expect(jitterRmsMs).toBeLessThan(0.6);
  expect(() => measureClock([1, 2])).toThrow(/at least three needed/);
  expect(() => measureClock([1, 3, 2])).toThrow(/Tick 3 is out of order/);
});

test('5 ppm is significant in ten minutes of clock with 1 ms of jitter; zero isn’t', () => {
  let [told, falsely, held] = [0, 0, 0];
  for (let seed = 0; seed < 40; seed++) {
    const five = measureDrift(clock(28_800, { seed: 2000 + seed, ppm: 5 }), { bpm: 120 });
    if (five.told) told++;
    if (five.ci95Ppm[0] <= 5 && five.ci95Ppm[1] >= 5) held++;
    if (measureDrift(clock(28_800, { seed: 3000 + seed }), { bpm: 120 }).told) falsely++;
  }
  expect(told).toBe(40);
  expect(falsely).toBeLessThanOrEqual(6);
  expect(held).toBeGreaterThanOrEqual(34);
});

test('wander of white noise falls as expected: time deviation with the square root of the averaging time', () => {
  const random = seededRandom(71);
  const noise = Array.from({ length: 20_000 }, () => random.normal());
  const { points, steady } = measureWander(noise, 20);
  const at = (m: number) => points.find(({ tauMs }) => Math.abs(tauMs / (20 * m) - 1) < 0.01)!;
  expect(at(1).timeDeviation).toBeCloseTo(1, 1);
  expect(at(100).timeDeviation / at(1).timeDeviation).toBeCloseTo(0.1, 1);
  expect(steady!.overMs).toBe(60_000);
  expect(steady!.withinMs).toBeGreaterThan(2);
});
