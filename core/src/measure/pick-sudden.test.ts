import { seededRandom } from '../standin/random';
import { pickSudden } from './pick-sudden';

const RATE = 48_000;
const AT = 2400;
const { sin, exp, min, PI } = Math;
const random = seededRandom(3);

/** A slow tone throughout; a second sound begins at sample 2,400, with t in seconds from there. */
function under(tone: number, sound: (t: number) => number): Float32Array {
  return Float32Array.from({ length: 4800 }, (_, i) => {
    const rings = tone * sin((2 * PI * 180 * i) / RATE) + 0.002 * random.normal();
    return rings + (i < AT ? 0 : sound((i - AT) / RATE));
  });
}
/** Searched from 20 ms before, as if the tone had been taken for the onset, to 10 ms after. */
const sought = (samples: Float32Array) => pickSudden(samples, RATE, AT - 960, AT + 480);

test('a noise burst is found to within a few samples, wherever it starts in the tone below it', () => {
  for (let times = 0; times < 20; times++) {
    const found = sought(under(0.05, (t) => 0.2 * random.normal() * exp(-t / 0.02)))!;
    expect(Math.abs(found.best.sample - AT)).toBeLessThan(0.0001 * RATE);
    expect(found.reaches(found.best.sample, found.best.score - 1)).toBe(true);
    expect(found.reaches(AT - 480, found.best.score - 16)).toBe(false);
  }
});

test('swelling sounds, dull sounds and pure noise give no result', () => {
  expect(sought(under(0.05, (t) => 0.2 * min(1, t / 0.008) * random.normal()))).toBeNull();
  expect(sought(under(0.05, (t) => 0.5 * sin(2 * PI * 110 * t)))).toBeNull();
  expect(sought(under(0.05, () => 0))).toBeNull();
  expect(pickSudden(new Float32Array(100), RATE, 0, 50)).toBeNull();
});
