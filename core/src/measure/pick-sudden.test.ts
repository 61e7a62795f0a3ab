import { seededRandom } from '../standin/random';
import { pickSudden } from './pick-sudden';

const RATE = 48_000;
const AT = 2400;
const { sin, exp, min, PI } = Math;
const random = seededRandom(3);

/** A slow tone rings from the start; at sample 2,400 something begins, t in seconds from there. */
function under(tone: number, sound: (t: number) => number): Float32Array {
  return Float32Array.from({ length: 4800 }, (_, i) => {
    const rings = tone * sin((2 * PI * 180 * i) / RATE) + 0.002 * random.normal();
    return rings + (i < AT ? 0 : sound((i - AT) / RATE));
  });
}
/** Sought from 20 ms before, as when the tone was taken for the beginning, to 10 ms after. */
const sought = (samples: Float32Array) => pickSudden(samples, RATE, AT - 960, AT + 480);

test('a burst of noise is found to a few samples, however it begins in the tone that rings under it', () => {
  for (let times = 0; times < 20; times++) {
    const found = sought(under(0.05, (t) => 0.2 * random.normal() * exp(-t / 0.02)))!;
    expect(Math.abs(found.best.sample - AT)).toBeLessThan(0.0001 * RATE);
    expect(found.reaches(found.best.sample, found.best.score - 1)).toBe(true);
    expect(found.reaches(AT - 480, found.best.score - 16)).toBe(false);
  }
});

test('of what swells, of what is dull, and of mere noise nothing is said', () => {
  expect(sought(under(0.05, (t) => 0.2 * min(1, t / 0.008) * random.normal()))).toBeNull();
  expect(sought(under(0.05, (t) => 0.5 * sin(2 * PI * 110 * t)))).toBeNull();
  expect(sought(under(0.05, () => 0))).toBeNull();
  expect(pickSudden(new Float32Array(100), RATE, 0, 50)).toBeNull();
});
