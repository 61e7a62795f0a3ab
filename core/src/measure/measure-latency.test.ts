import fc from 'fast-check';
import * as statistics from 'simple-statistics';
import { seededRandom } from '../standin/random';
import { fitTempo } from './fit-tempo';
import { measureLatency } from './measure-latency';
import { medianInterval } from '../maths/median-interval';

const every = (ms: number, count: number) => Array.from({ length: count }, (_, i) => i * ms);

test('a constant delay is found, early or late, up to most of a beat', () => {
  for (const lateMs of [-100, -12.3, 0, 12.3, 240, 340])
    expect(
      measureLatency({ pulsesMs: every(500, 32), onsetsMs: every(500, 32).map((ms) => ms + lateMs) }),
    ).toMatchObject({
      matched: 32,
      missed: 0,
      extra: 0,
      believable: true,
      medianMs: expect.closeTo(lateMs, 9),
      spreadMs: expect.closeTo(0, 9),
    });
});

test('missing and double hits are counted and don’t move the median', () => {
  const random = seededRandom(5);
  const onsetsMs = every(500, 40)
    .flatMap((ms, i) => (i % 10 === 3 ? [] : i % 10 === 6 ? [ms, ms + 60] : [ms]))
    .map((ms) => ms + 14.1 + 0.5 * random.normal());
  const report = measureLatency({ pulsesMs: every(500, 40), onsetsMs });
  expect(report).toMatchObject({ matched: 36, missed: 4, extra: 4, believable: true });
  expect(report.medianMs).toBeCloseTo(14.1, 0);
  expect(report.spreadMs).toBeGreaterThan(0.3);
  expect(report.spreadMs).toBeLessThan(0.8);
});

test('too few, none, too many missed, too many extra, too much jitter: unreliable, with the reason', () => {
  const pulsesMs = every(500, 32);
  const random = seededRandom(9);
  expect(measureLatency({ pulsesMs, onsetsMs: [] })).toMatchObject({ matched: 0, missed: 32, believable: false });
  expect(measureLatency({ pulsesMs: [], onsetsMs: [1] }).reason).toMatch('No reference beats');
  expect(measureLatency({ pulsesMs: pulsesMs.slice(0, 4), onsetsMs: pulsesMs.slice(0, 4) }).reason).toMatch(
    'Only 4 beats',
  );
  expect(measureLatency({ pulsesMs, onsetsMs: pulsesMs.slice(0, 20) }).reason).toMatch('12 of 32 beats were missed');
  expect(measureLatency({ pulsesMs, onsetsMs: every(125, 128) }).reason).toMatch('off the beat');
  const scattered = pulsesMs.map((ms) => ms + 40 + 30 * random.normal()).sort((a, b) => a - b);
  expect(measureLatency({ pulsesMs, onsetsMs: scattered }).reason).toMatch(/jitter|missed/);
});

test('a second library finds the same median', () => {
  fc.assert(
    fc.property(fc.array(fc.double({ min: -50, max: 50, noNaN: true }), { minLength: 1, maxLength: 99 }), (values) => {
      const { median, ci95 } = medianInterval(Float64Array.from(values).sort());
      expect(median).toBeCloseTo(statistics.median(values), 9);
      expect(ci95[0]).toBeLessThanOrEqual(median);
      expect(ci95[1]).toBeGreaterThanOrEqual(median);
    }),
  );
});

test('95% intervals contain the truth in 93 to 97% of takes', () => {
  const random = seededRandom(1);
  for (const beats of [12, 32, 64]) {
    let held = 0;
    for (let take = 0; take < 4000; take++) {
      const { ci95 } = medianInterval(Float64Array.from({ length: beats }, random.normal).sort());
      if (ci95[0] <= 0 && ci95[1] >= 0) held++;
    }
    expect(held / 4000).toBeGreaterThan(0.93);
    expect(held / 4000).toBeLessThan(0.97);
  }
});

test('the tempo of a row of hits with one missing', () => {
  expect(fitTempo(every(60_000 / 79.3, 16).filter((_, i) => i !== 5))).toBeCloseTo(79.3, 9);
  expect(fitTempo([0, 500])).toBeNull();
});
