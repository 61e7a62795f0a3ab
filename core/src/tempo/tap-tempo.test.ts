import { randomNormal } from 'd3-random';
import { uniformFloat64 } from 'pure-rand/distribution/uniformFloat64';
import { xoroshiro128plus } from 'pure-rand/generator/xoroshiro128plus';
import { TapTempo } from './tap-tempo';

const tapAll = (timesMs: number[]) => {
  const tempo = new TapTempo();
  return timesMs.map((ms) => tempo.tap(ms));
};
const beats = (bpm: number, count: number, fromMs = 1000) =>
  Array.from({ length: count }, (_, i) => fromMs + (i * 60_000) / bpm);

test.each([79.3, 98.2, 120, 174])('%s BPM is known on the fourth tap, to one decimal', (bpm) => {
  expect(tapAll(beats(bpm, 4))).toEqual([null, null, null, bpm]);
});

test('a missed, doubled or stray tap is tolerated', () => {
  const taps = beats(100, 12);
  const at = (change: (taps: number[]) => number[]) => tapAll(change([...taps])).at(-1);
  expect(at((all) => all.filter((_, i) => i !== 6))).toBeCloseTo(100, 1);
  expect(at((all) => all.toSpliced(6, 0, all[5]! + 90))).toBeCloseTo(100, 1);
  expect(at((all) => all.with(6, all[6]! + 150))).toBeCloseTo(100, 1);
  expect(tapAll(beats(100, 5).toSpliced(2, 0, beats(100, 5)[1]! + 80)).at(-1)).toBeCloseTo(100, 0);
});

test('after a pause it starts over; a lasting tempo change is adopted', () => {
  const first = beats(90, 6);
  expect(tapAll([...first, ...beats(140, 4, first.at(-1)! + 4000)])).toEqual([
    ...[null, null, null, 90, 90, 90],
    ...[null, null, null, 140],
  ]);
  expect(tapAll([...first, ...beats(140, 8, first.at(-1)! + 60_000 / 140)]).at(-1)).toBe(140);
});

test('with 15 ms of human jitter, twelve taps are within 2%', () => {
  const generator = xoroshiro128plus(5);
  const wobble = randomNormal.source(() => uniformFloat64(generator))(0, 15);
  for (let run = 0; run < 50; run++) {
    const bpm = tapAll(beats(112, 12).map((ms) => ms + wobble())).at(-1)!;
    expect(Math.abs(bpm / 112 - 1)).toBeLessThan(0.02);
  }
});
