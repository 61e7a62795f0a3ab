import { litLamp } from './lit-lamp';

const hub = { beat: 9.2, bpm: 120 };

test('a hit just heard lights the lamp of its quarter, also when it came a little late or early', () => {
  expect(litLamp(10_000 - 100, hub, 10_000)).toBe(1);
  expect(litLamp(10_000 - 70, hub, 10_000)).toBe(1);
  expect(litLamp(10_000 - 140, hub, 10_000)).toBe(1);
});

test('a hit of a beat ago keeps its lamp lit, one of long ago does not', () => {
  expect(litLamp(10_000 - 600, hub, 10_000)).toBe(0);
  expect(litLamp(10_000 - 900, hub, 10_000)).toBeNull();
  expect(litLamp(null, hub, 10_000)).toBeNull();
});
