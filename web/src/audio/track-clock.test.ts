import { TrackClock } from './track-clock';

const RATE = 48_000;
const BLOCK = 480;
const LONG_MS = (BLOCK / RATE) * 1000;

test('blocks follow each other without gaps, whatever their time stamps vary by', () => {
  const clock = new TrackClock(RATE);
  for (let i = 0; i < 2000; i++) expect(clock.frameOf(5000 + i * LONG_MS + 4 * Math.sin(i * i), BLOCK)).toBe(i * BLOCK);
  expect(Math.abs(clock.zeroMs - 5000)).toBeLessThan(1);
});

test('samples that are missing are counted, to the time stamps’ precision', () => {
  const clock = new TrackClock(RATE);
  for (let i = 0; i < 500; i++) clock.frameOf(i * LONG_MS, BLOCK);
  expect(clock.frameOf(500 * LONG_MS + 250, BLOCK)).toBe(500 * BLOCK + 0.25 * RATE);
  expect(clock.frameOf(501 * LONG_MS + 250, BLOCK)).toBe(501 * BLOCK + 0.25 * RATE);
  expect(clock.zeroMs).toBeCloseTo(0, 6);
});

test('a device 200 ppm slow is followed, not taken for one that loses samples', () => {
  const clock = new TrackClock(RATE);
  const longMs = LONG_MS * (1 + 200e-6);
  for (let i = 0; i < 60_000; i++) expect(clock.frameOf(i * longMs, BLOCK)).toBe(i * BLOCK);
  const drifted = 60_000 * (longMs - LONG_MS);
  expect(drifted - clock.zeroMs).toBeLessThan(1);
});
