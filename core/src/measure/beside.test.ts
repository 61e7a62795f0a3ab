import { seededRandom } from '../standin/random';
import { analyzeRecording } from './analyze-recording';
import { detectOnsets } from './detect-onsets';
import { cutClicks } from './take-out-click';

const RATE = 48_000;
const BEAT = 24_000;
const BEATS = 12;
const { abs, cos, exp, PI, sin } = Math;

type Sound = (t: number) => number;

const drum: Sound = (t) => 0.5 * sin(2 * PI * (60 + 200 * exp(-t / 0.02)) * t + 0.5) * exp(-t / 0.12);
const snare: Sound = (t) => 0.4 * sin(2 * PI * 190 * t) * exp(-t / 0.06) + 0.3 * sin(1e7 * t * t + 1) * exp(-t / 0.08);
const string: Sound = (t) => 0.4 * (sin(2 * PI * 330 * t) + 0.5 * cos(2 * PI * 1650 * t)) * exp(-t / 0.2);
const pulsesMs = Array.from({ length: BEATS }, (_, i) => 500 * (i + 1));

/** A device's channel: its own sound late by so many samples, with another's bleeding in. */
function channel(seed: number, parts: [sound: Sound, late: number, level: number][]): Float32Array {
  const { normal } = seededRandom(seed);
  const samples = Float32Array.from({ length: (BEATS + 2) * BEAT }, () => 3e-5 * normal());
  for (const [sound, late, level] of parts)
    for (let beat = 1; beat <= BEATS; beat++)
      for (let i = 0; i < 0.4 * RATE; i++) samples[beat * BEAT + late + i]! += level * sound((i + 0.5) / RATE);
  return samples;
}

const besideOf = (samples: Float32Array) => {
  const onsetsMs = detectOnsets(samples, RATE).map(({ timeMs }) => timeMs);
  return { samples, hits: cutClicks(samples, RATE, onsetsMs) };
};
const late = (samples: Float32Array, beside: Float32Array[] = []) =>
  analyzeRecording(samples, RATE, { pulsesMs }, beside.map(besideOf)).report;

describe.each([
  ['a drum behind a snare', drum, snare],
  ['a snare behind a drum', snare, drum],
  ['a string behind a snare', string, snare],
] as const)('%s', (_, own, other) => {
  test.each([-50, -40, -30])('that bleeds into each other’s channel at %i dB', (db) => {
    const level = 10 ** (db / 20);
    const truthMs = late(channel(1, [[own, 686, 1]])).medianMs;
    const mine = channel(2, [
      [own, 686, 1],
      [other, 100, level],
    ]);
    const theirs = channel(3, [
      [other, 100, 1],
      [own, 686, level],
    ]);
    const report = late(mine, [theirs]);
    expect(report.believable).toBe(true);
    expect(abs(report.medianMs - truthMs)).toBeLessThan(0.5);
    expect(report.besideDb).toBeCloseTo(db, 0);
    // The other way round, nothing comes before.
    expect(abs(late(theirs, [mine]).medianMs - late(channel(4, [[other, 100, 1]])).medianMs)).toBeLessThan(0.5);
  });
});

test('two other devices, one after the other', () => {
  const level = 10 ** (-36 / 20);
  const [one, two] = [channel(1, [[snare, 80, 1]]), channel(2, [[string, 380, 1]])];
  const mine = channel(3, [
    [snare, 80, level],
    [string, 380, level],
    [drum, 900, 1],
  ]);
  const truthMs = late(channel(4, [[drum, 900, 1]])).medianMs;
  expect(abs(late(mine, [two, one]).medianMs - truthMs)).toBeLessThan(0.5);
});

test('an input with nothing but another device on it is not believed', () => {
  const theirs = channel(1, [[snare, 100, 1]]);
  for (const db of [-50, -30, -24]) {
    const report = late(channel(2, [[snare, 130, 10 ** (db / 20)]]), [theirs]);
    expect(report).toMatchObject({ believable: false, matched: 0 });
    expect(report.findings).toContainEqual({ kind: 'onlyBeside', bleedDb: expect.closeTo(db, 0) });
  }
});

test('two devices with the same sound, the one less loud, are two devices', () => {
  const theirs = channel(1, [[snare, 100, 1]]);
  const mine = channel(2, [[snare, 240, 0.2]]);
  const report = late(mine, [theirs]);
  expect(report.believable).toBe(true);
  expect(abs(report.medianMs - late(mine).medianMs)).toBeLessThan(0.1);
});
