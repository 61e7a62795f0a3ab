import { seededRandom, type SeededRandom } from '../standin/random';
import { measureLatency } from './measure-latency';

const TAKES = 1000;
const TRUE_MS = 12.3;

/** Share of takes whose 95% interval contains the truth, for a number of beats and a kind of noise. */
function coverage(beats: number, noise: (random: SeededRandom) => number): number {
  let held = 0;
  for (let seed = 0; seed < TAKES; seed++) {
    const random = seededRandom(90_000 + seed);
    const pulsesMs = Array.from({ length: beats }, (_, i) => 1000 + i * 756.62);
    const onsetsMs = pulsesMs.map((ms) => ms + TRUE_MS + noise(random)).sort((a, b) => a - b);
    const { ci95Ms } = measureLatency({ pulsesMs, onsetsMs });
    if (ci95Ms[0] <= TRUE_MS && ci95Ms[1] >= TRUE_MS) held++;
  }
  return held / TAKES;
}

const gaussian = (sigma: number) => (random: SeededRandom) => sigma * random.normal();
/** One hit in twelve is an outlier with five times the spread: fingers slip. */
const straying = (random: SeededRandom) => random.normal() * (random.uniform() < 1 / 12 ? 5 : 1);
/** Quantized to the polls of a bus: uniform between two of them. */
const polled = (random: SeededRandom) => random.uniform() - 0.5;

test.each<[string, number, (random: SeededRandom) => number]>([
  ['16 beats, normal', 16, gaussian(1)],
  ['32 beats, normal', 32, gaussian(0.4)],
  ['32 beats, normal and wide', 32, gaussian(3)],
  ['64 beats, normal', 64, gaussian(1)],
  ['32 beats, some astray', 32, straying],
  ['32 beats, polled', 32, polled],
])('the 95%% interval of 1,000 seeded takes contains the truth in 93 to 97%%: %s', (_, beats, noise) => {
  const share = coverage(beats, noise);
  expect(share).toBeGreaterThanOrEqual(0.93);
  expect(share).toBeLessThanOrEqual(0.97);
});
