import { linearRegression } from 'simple-statistics';
import { seededRandom } from '../standin/random';
import { DriftTrace } from './drift-trace';

test('20 ppm over ten minutes is 12 ms, and a second library finds the same slope', () => {
  const random = seededRandom(60);
  const trace = new DriftTrace();
  const all: [number, number][] = [];
  for (let ms = 0; ms < 600_000; ms += 500) {
    const lateMs = 12.3 + ms * 20e-6 + 0.4 * random.normal();
    trace.push(ms, lateMs);
    all.push([ms, lateMs]);
  }
  const drift = trace.drift!;
  expect(drift.ppm).toBeCloseTo(linearRegression(all).m * 1e6, 6);
  expect(drift.ppm).toBeCloseTo(20, 0);
  expect(drift.wanderedMs).toBeCloseTo(12, 0);
});

test('a day of beats stays within a thousand points, from first to last', () => {
  const trace = new DriftTrace();
  for (let beat = 0; beat < 172_800; beat++) trace.push(beat * 500, 5);
  expect(trace.points.length).toBeLessThan(1024);
  expect(trace.points[0]!.atMs).toBe(0);
  expect(trace.points.at(-1)!.atMs).toBeGreaterThan(172_000 * 500);
  expect(trace.drift!.ppm).toBeCloseTo(0, 9);
});

test('a few readings give no result', () => {
  const trace = new DriftTrace();
  for (let i = 0; i < 7; i++) trace.push(i * 500, i);
  expect(trace.drift).toBeNull();
});
