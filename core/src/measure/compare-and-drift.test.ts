import { linearRegression } from 'simple-statistics';
import { seededRandom } from '../standin/random';
import { compareClocks } from './compare-clocks';
import { measureReturnDrift } from './measure-return-drift';

const clock = (bpm: number, jitterMs: number, seed: number, minutes = 2, fromMs = 0) => {
  const random = seededRandom(seed);
  const tickMs = 60_000 / bpm / 24;
  return Float64Array.from(
    { length: (minutes * 60_000) / tickMs },
    (_, k) => fromMs + k * tickMs + jitterMs * random.normal(),
  );
};

describe('two clocks compared', () => {
  test('a clock 80 ppm fast is significant; jitters add as root sum of squares', () => {
    const fast = clock(120 * (1 + 80e-6), 0.3, 1);
    const { ppm, ci95Ppm, told, jitterRmsMs, trace } = compareClocks(fast, clock(120, 0.4, 2));
    expect(told).toBe(true);
    expect(ci95Ppm[0]).toBeLessThan(80);
    expect(ci95Ppm[1]).toBeGreaterThan(80);
    expect(ppm).toBeCloseTo(80, -1);
    // Interpolating between two ticks of the second clock averages part of its noise: never more than the root sum of
    // squares.
    expect(jitterRmsMs).toBeGreaterThan(0.4);
    expect(jitterRmsMs).toBeLessThan(Math.hypot(0.3, 0.4) + 0.02);
    // Plus is behind: 80 ppm fast for two minutes is 9.6 ms ahead.
    expect(trace.at(-1)!.apartMs - trace[0]!.apartMs).toBeCloseTo(-9.6, -0.5);
  });

  test('two equal clocks show no significant drift in at least 19 of 20 runs', () => {
    const told = Array.from({ length: 40 }, (_, i) =>
      compareClocks(clock(98.2, 0.5, 2 * i), clock(98.2, 0.5, 2 * i + 1)),
    );
    expect(told.filter((one) => one.told).length).toBeLessThanOrEqual(5);
  });

  test('clocks that don’t overlap in time can’t be compared', () => {
    expect(() => compareClocks(clock(120, 0, 1, 1), clock(120, 0, 2, 1, 120_000))).toThrow(
      /never ran at the same time/,
    );
  });
});

describe('a drifting return', () => {
  const drifting = (ppm: number, beats: number, seed: number) => {
    const random = seededRandom(seed);
    return Array.from({ length: beats }, (_, k) => ({
      dueMs: 500 * k,
      lateMs: 12 - (ppm / 1e6) * 500 * k + random.normal(),
    }));
  };

  test('the slope matches a second library, and the interval contains the truth', () => {
    const landings = drifting(30, 1200, 3);
    const { ppm, ci95Ppm, msPerSong, told } = measureReturnDrift(landings);
    const { m } = linearRegression(landings.map(({ dueMs, lateMs }) => [dueMs, lateMs]));
    expect(ppm).toBeCloseTo(-m * 1e6, 6);
    expect(told).toBe(true);
    expect(ci95Ppm[0]).toBeLessThan(30);
    expect(ci95Ppm[1]).toBeGreaterThan(30);
    expect(msPerSong).toBeCloseTo((ppm * 240_000) / 1e6, 9);
  });

  test('false positives are no more frequent than the interval promises', () => {
    const told = Array.from({ length: 100 }, (_, i) => measureReturnDrift(drifting(0, 600, i))).filter(
      (one) => one.told,
    );
    expect(told.length).toBeLessThanOrEqual(10);
    expect(() => measureReturnDrift(drifting(0, 5, 1))).toThrow(/at least 16 needed/);
  });
});
