import { MeterMap } from '@metronomo/core';
import { litLamp as lampIn } from './lit-lamp';

const hub = { beat: 9.2, bpm: 120 };
const litLamp = (hitMs: number | null, at: typeof hub, nowMs: number) => lampIn(hitMs, at, nowMs, new MeterMap());

test('a recent hit lights the lamp of its quarter, even slightly late or early', () => {
  expect(litLamp(10_000 - 100, hub, 10_000)).toBe(1);
  expect(litLamp(10_000 - 70, hub, 10_000)).toBe(1);
  expect(litLamp(10_000 - 140, hub, 10_000)).toBe(1);
});

test('a hit one beat ago keeps its lamp lit, an older one doesn’t', () => {
  expect(litLamp(10_000 - 600, hub, 10_000)).toBe(0);
  expect(litLamp(10_000 - 900, hub, 10_000)).toBeNull();
  expect(litLamp(null, hub, 10_000)).toBeNull();
});

test.each([
  // In 3/4, quarter 9 begins bar 4; in 6/8, quarter 9.0 begins bar 4 too, and an eighth lasts 250 ms at 120 BPM.
  [3, 4, 9.2, 100, 0],
  [6, 8, 9.2, 100, 0],
  [6, 8, 9.7, 100, 1],
  [7, 8, 9.2, 100, 4],
  [6, 8, 9.2, 500, null],
])('in %i/%i the lamps are the beats of that bar', (beatsPerBar, beatUnit, beat, agoMs, lamp) => {
  const meter = new MeterMap([{ bar: 1, beatsPerBar, beatUnit }]);
  expect(lampIn(10_000 - agoMs, { beat, bpm: 120 }, 10_000, meter)).toBe(lamp);
});
