import Decimal from 'decimal.js';
import fc from 'fast-check';
import { TempoMap } from './tempo-map';

test('plain arithmetic: 120, 79.3 and 71.5 BPM', () => {
  expect(new TempoMap([{ beat: 0, bpm: 120 }]).msAt(1)).toBe(500);
  expect(new TempoMap([{ beat: 0, bpm: 120 }]).msAt(1 / 24)).toBeCloseTo(20.8333, 4);
  expect(new TempoMap([{ beat: 0, bpm: 79.3 }]).msAt(1)).toBeCloseTo(756.62, 3);
  expect(new TempoMap([{ beat: 0, bpm: 71.5 }]).msAt(1)).toBeCloseTo(839.161, 3);
});

test('a step changes the tempo at its beat and not before', () => {
  const map = new TempoMap([
    { beat: 0, bpm: 60 },
    { beat: 8, bpm: 120 },
  ]);
  expect(map.msAt(8)).toBe(8000);
  expect(map.msAt(10)).toBe(9000);
  expect(map.msAt(-1)).toBe(-1000);
  expect(map.bpmAt(7.999)).toBe(60);
  expect(map.bpmAt(8)).toBe(120);
});

test('a ramp agrees with the sum of a million short constant pieces', () => {
  const map = new TempoMap([
    { beat: 0, bpm: 65, curve: 'linear' },
    { beat: 64, bpm: 140 },
  ]);
  const pieces = 1_000_000;
  let ms = 0;
  for (let i = 0; i < pieces; i++) ms += ((64 / pieces) * 60_000) / (65 + (75 * (i + 0.5)) / pieces);
  expect(map.msAt(64)).toBeCloseTo(ms, 5);
  expect(map.bpmAt(32)).toBeCloseTo(102.5, 10);
});

test('beats and time are inverse, over steps, ramps and the stretch before the first point', () => {
  const point = fc.record({
    gap: fc.double({ min: 0.25, max: 64, noNaN: true }),
    bpm: fc.double({ min: 20, max: 300, noNaN: true }),
    curve: fc.constantFrom('step' as const, 'linear' as const),
  });
  fc.assert(
    fc.property(
      fc.array(point, { minLength: 1, maxLength: 8 }),
      fc.double({ min: -16, max: 16, noNaN: true }),
      fc.double({ min: -20, max: 300, noNaN: true }),
      (gaps, firstBeat, beat) => {
        let at = firstBeat;
        const map = new TempoMap(gaps.map(({ gap, bpm, curve }, i) => ({ beat: (at += i ? gap : 0), bpm, curve })));
        expect(map.msAt(0)).toBeCloseTo(0, 9);
        expect(map.beatAt(map.msAt(beat))).toBeCloseTo(beat, 8);
        expect(map.msAt(beat + 0.01)).toBeGreaterThan(map.msAt(beat));
      },
    ),
  );
});

test('an invalid map is rejected with a message', () => {
  expect(() => new TempoMap([])).toThrow('at least one point');
  expect(() => new TempoMap([{ beat: 0, bpm: 0 }])).toThrow('point 1');
  expect(
    () =>
      new TempoMap([
        { beat: 4, bpm: 100 },
        { beat: 4, bpm: 90 },
      ]),
  ).toThrow('beats must be in ascending order');
});

test('a ramp from 65 to 140 BPM over 16 bars: every tick within 1 us of the closed form, computed to 40 digits', () => {
  const map = new TempoMap([
    { beat: 0, bpm: 65, curve: 'linear' },
    { beat: 64, bpm: 140 },
  ]);
  // t = (60000 / s) ln(1 + s b / v0), with the slope s in BPM per beat; from dt = db / v(b), elementary calculus.
  const Exact = Decimal.clone({ precision: 40 });
  const slope = new Exact(140 - 65).div(64);
  let worstMs = 0;
  for (let tick = 0; tick <= 64 * 24; tick++) {
    const exact = slope.mul(tick).div(24).div(65).add(1).ln().mul(60_000).div(slope);
    worstMs = Math.max(
      worstMs,
      exact
        .sub(map.msAt(tick / 24))
        .abs()
        .toNumber(),
    );
    expect(map.beatAt(map.msAt(tick / 24))).toBeCloseTo(tick / 24, 10);
  }
  expect(worstMs).toBeLessThan(0.001);
});
