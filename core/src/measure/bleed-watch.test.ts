import { seededRandom } from '../standin/random';
import { ReturnWatch } from './return-watch';

const RATE = 48_000;
const BLOCK = 480;
const DROPS_BLOCKS = 3;
const { cos, exp, PI, round, sin } = Math;

type Sound = (t: number) => number;

const click: Sound = (t) => 0.5 * cos(2 * PI * 1500 * t) * exp(-t / 0.003);
const kick: Sound = (t) => 0.5 * sin(2 * PI * (60 + 200 * exp(-t / 0.02)) * t + 0.5) * exp(-t / 0.12);
const snare: Sound = (t) => 0.4 * sin(2 * PI * 190 * t) * exp(-t / 0.06) + 0.3 * sin(1e7 * t * t + 1) * exp(-t / 0.08);

/**
 * What is read after some seconds at 120 BPM; the click bleeds in so late, from `bleedsFrom` beats on. From the sample
 * `dropsAt` on, some blocks are lost.
 */
function read(
  sound: Sound | null,
  lateMs: number,
  bleedDb: number,
  { bleedLateMs = 0, bleedsFrom = 0, seconds = 5.5, seed = 1, dropsAt = Infinity } = {},
) {
  const { normal } = seededRandom(seed);
  const length = seconds * RATE;
  const [sent, gear] = [0, 1].map(() => Float32Array.from({ length }, () => 3e-5 * normal())) as [
    Float32Array,
    Float32Array,
  ];
  const add = (to: Float32Array, one: Sound, atMs: number, level: number) => {
    const from = round((atMs / 1000) * RATE);
    for (let i = 0; i < 0.4 * RATE && from + i < length; i++) to[from + i]! += level * one((i + 0.5) / RATE);
  };
  for (let beat = 2; beat * 500 < seconds * 1000; beat++) {
    add(sent, click, beat * 500, 1);
    if (beat >= bleedsFrom) add(gear, click, beat * 500 + bleedLateMs, 10 ** (bleedDb / 20));
    if (sound) add(gear, sound, beat * 500 + lateMs, 1);
  }
  const watch = new ReturnWatch({ sampleRate: RATE, channels: 2, referenceChannel: 0 });
  for (let at = 0; at < length; at += BLOCK)
    if (at < dropsAt || at >= dropsAt + DROPS_BLOCKS * BLOCK)
      watch.push([sent.subarray(at, at + BLOCK), gear.subarray(at, at + BLOCK)], (at / RATE) * 1000);
  return { ...watch.readings(120)[1]!, beat: watch.latestBeat() };
}

test.each([
  ['kick', kick],
  ['snare', snare],
] as const)('a live %s behind the click that bleeds in is read where it is', (_, sound) => {
  for (const bleedDb of [-30, -50])
    for (const lateMs of [2, 14.3]) {
      const truthMs = read(sound, lateMs, -200).medianMs!;
      const reading = read(sound, lateMs, bleedDb);
      expect(reading.state).toBe('locked');
      expect(Math.abs(reading.medianMs! - truthMs)).toBeLessThan(0.3);
      if (bleedDb === -30) expect(reading.bleedDb).toBeCloseTo(bleedDb, 0);
    }
});

test('a live input with nothing but the click is silent, however loud the click is', () => {
  for (const [bleedDb, bleedLateMs] of [
    [-50, 6],
    [-30, 0],
    [-10, 0.8],
  ] as const) {
    const { state, medianMs, bleedDb: said } = read(null, 0, bleedDb, { bleedLateMs });
    expect({ state, medianMs }).toEqual({ state: 'silent', medianMs: null });
    expect(said).toBeCloseTo(bleedDb, 0);
  }
});

test('after a dropout as well', () => {
  const { state, bleedDb } = read(null, 0, -30, { seconds: 7, dropsAt: 4.3 * RATE });
  expect(state).toBe('silent');
  expect(bleedDb).toBeCloseTo(-30, 0);
});

test('when the click begins to bleed in, its first beats don’t stay among the hits', () => {
  const reading = read(kick, 14.3, -30, { bleedsFrom: 6, seconds: 8 });
  expect(reading.bleedDb).toBeCloseTo(-30, 0);
  expect(reading.medianMs).toBeCloseTo(read(kick, 14.3, -200).medianMs!, 0);
});

test('the picture of the last beat is without the click', () => {
  const [, gear] = read(kick, 14.3, -20).beat!;
  // Ten milliseconds before the beat, and fourteen after it.
  expect(Math.max(...gear!.subarray(0, 24 * 48).map(Math.abs))).toBeLessThan(0.003);
});

test('a device that doesn’t get any of the click isn’t said to', () => {
  for (let seed = 1; seed <= 4; seed++)
    for (const sound of [kick, snare]) expect(read(sound, seed, -200, { seed }).bleedDb).toBeNull();
});
