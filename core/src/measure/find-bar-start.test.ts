import { seededRandom } from '../standin/random';
import { findBarStart, type Hit } from './find-bar-start';

const BEAT_MS = 500;
const BAR = { barMs: 2000, beatMs: BEAT_MS };

/** Four bars of a pattern: levels by sixteenth, silent ones 0; each hit scatters by up to 4 ms and 0.5 dB. */
function played(pattern: readonly number[], seed: number, bars = 4): Hit[] {
  const random = seededRandom(seed);
  return Array.from({ length: bars }, (_, bar) =>
    pattern.flatMap((level, place) => {
      const atMs = 1000 + bar * 2000 + place * 125 + 4 * (2 * random.uniform() - 1);
      return level > 0 ? [{ atMs, level: level * 10 ** ((random.uniform() - 0.5) / 20) }] : [];
    }),
  ).flat();
}
const startOf = (hits: readonly Hit[]) => {
  const ms = findBarStart(hits, BAR);
  return ms === null ? null : (ms - 1000) / 2000;
};

test('the loudest place of a bar is its start, wherever the recording begins', () => {
  for (let seed = 0; seed < 20; seed++) {
    const hits = played([0.8, 0, 0.3, 0, 0.5, 0, 0.3, 0, 0.6, 0, 0.3, 0, 0.5, 0, 0.3, 0.2], seed);
    for (let from = 0; from < 9; from++) expect(startOf(hits.slice(from))).toBeCloseTo(3, 1);
  }
});

test('a beat that no hit stands out of is left to the musician', () => {
  for (let seed = 0; seed < 20; seed++) {
    expect(startOf(played([0.5, 0, 0, 0, 0.5, 0, 0, 0, 0.5, 0, 0, 0, 0.5, 0, 0, 0], seed))).toBeNull();
    expect(startOf(played([0.8, 0, 0, 0, 0.4, 0, 0, 0, 0.8, 0, 0, 0, 0.4, 0, 0, 0], seed))).toBeNull();
  }
});

test('a single loud hit is no start, and neither are two bars', () => {
  const even = played([0.5, 0, 0, 0, 0.5, 0, 0, 0, 0.5, 0, 0, 0, 0.5, 0, 0, 0], 1);
  expect(startOf(even.map((hit, i) => (i === 6 ? { ...hit, level: 1 } : hit)))).toBeNull();
  expect(startOf(played([0.8, 0, 0, 0, 0.4, 0, 0, 0, 0.4, 0, 0, 0, 0.4, 0, 0, 0], 2, 2))).toBeNull();
  expect(findBarStart([], BAR)).toBeNull();
});
