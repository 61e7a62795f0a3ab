import { litLamp } from './lit-lamp';

const hub = { beat: 9.2, bpm: 120 };

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
