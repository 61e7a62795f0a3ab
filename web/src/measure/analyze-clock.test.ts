import { analyzeClock } from './analyze-clock';

/** A steady clock with a slow sway of this many ms over ten seconds. */
const swaying = (minutes: number, ms: number) =>
  Float64Array.from({ length: minutes * 60 * 48 }, (_, k) => k * (1000 / 48) + ms * Math.cos((2 * Math.PI * k) / 480));

test('a clock that sways by 1 ms over ten seconds stays within 1 ms over any minute, without drift', () => {
  const { report, drift, wander, trace, histogram, seconds } = analyzeClock(swaying(3, 1));
  expect(report.bpm).toBeCloseTo(120, 2);
  expect(report.jitterPeakToPeakMs).toBeCloseTo(2, 1);
  expect(seconds).toBeCloseTo(180, 1);
  expect(drift).toMatchObject({ againstBpm: 120, told: false });
  expect(wander.steady).toMatchObject({ overMs: 60_000 });
  expect(wander.steady!.withinMs).toBeCloseTo(1, 1);
  expect(trace.length).toBeLessThanOrEqual(600);
  expect(Math.max(...trace.map(({ high }) => high))).toBeCloseTo(1, 1);
  expect(histogram.reduce((sum, { count }) => sum + count, 0)).toBe(3 * 60 * 48);
});

test('too few ticks are reported', () =>
  expect(() => analyzeClock(Float64Array.of(0, 20))).toThrow(/at least three needed/));
