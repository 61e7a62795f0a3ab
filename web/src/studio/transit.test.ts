import { passedOn, useTransit } from './transit';

test('the last 64 messages of a port: median, interval and slowest; fewer than eight tell nothing', () => {
  for (let i = 0; i < 7; i++) passedOn('midi:1', 50, 1000 * i);
  expect(useTransit.getState()).toEqual({});
  for (let i = 0; i < 64; i++) passedOn('midi:1', 1 + (i % 5) / 10, 10_000 + 1000 * i);
  const { medianMs, ci95Ms, slowestMs, count } = useTransit.getState()['midi:1']!;
  expect(medianMs).toBeCloseTo(1.2, 9);
  expect(ci95Ms[0]).toBeGreaterThanOrEqual(1.1);
  expect(ci95Ms[1]).toBeLessThanOrEqual(1.3);
  // The seven slow ones are forgotten.
  expect([slowestMs, count]).toEqual([1.4, 64]);
});
