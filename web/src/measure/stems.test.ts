import { WaveFile } from 'wavefile';
import { writeWav } from '@metronomo/core';
import { writtenNames, moveList, stemMoves, type Stem } from '../align/stem-moves';
import { moveStem, readStem } from './stems';

const RATE = 48_000;
/** Hits at 120 BPM, the first at `firstMs`. */
const hits = (firstMs: number) => {
  const samples = new Float32Array(RATE * 6);
  for (let beat = 0; beat < 10; beat++)
    for (let i = 0, at = Math.round(((firstMs + beat * 500) / 1000) * RATE); i < 2400; i++)
      samples[at + i] = 0.5 * Math.cos(i * 0.3) * Math.exp(-i / 300);
  return samples;
};
const part = (firstMs: number, lateMs: number, encoding: 16 | 24 | 'float32' = 24) =>
  writeWav([hits(firstMs), hits(firstMs + lateMs)], RATE, encoding);
const stemOf = (id: string, bytes: Uint8Array, clickChannel: number | null = 0): Stem => ({
  id,
  name: `${id}.wav`,
  clickChannel,
  knownLateMs: 0,
  reading: readStem(bytes, clickChannel),
});
const whole = { fractions: false, together: false };

test('a stem’s latency is that of its device after the click, and it is shifted by that in whole samples', () => {
  const stem = stemOf('bass', part(400, 12.3));
  expect(stem.reading).toMatchObject({ problem: null, sampleRate: RATE, seconds: 6 });
  expect(stem.reading.lateMs).toBeCloseTo(12.3, 1);
  // The click isn't moved. 12.3 ms are 590.4 samples at 48 kHz (plain arithmetic).
  expect(stemMoves([stem], whole).get('bass')).toEqual([0, -590]);
});

test('whole-sample shifts are bit-exact, as read by another program', () => {
  for (const [encoding, name] of [
    [16, '16'],
    [24, '24'],
    ['float32', '32f'],
  ] as const) {
    // The first second is enough for a bit-exact comparison.
    const bytes = writeWav(
      [hits(40), hits(52.3)].map((channel) => channel.slice(0, RATE)),
      RATE,
      encoding,
    );
    const before = new WaveFile(bytes).getSamples(false, Float64Array) as unknown as Float64Array[];
    const file = new WaveFile(moveStem(bytes, { samples: [0, -590] }));
    const after = file.getSamples(false, Float64Array) as unknown as Float64Array[];
    expect(file.bitDepth).toBe(name);
    // One count instead of a matcher per sample, which would take a minute.
    const different = (a: Float64Array, b: Float64Array) => a.filter((sample, i) => sample !== b[i]).length;
    expect(different(after[0]!, before[0]!)).toBe(0);
    expect(different(after[1]!.slice(0, -590), before[1]!.slice(590))).toBe(0);
  }
});

test('a fractional shift lands on the click to a hundredth of a ms', () => {
  const bytes = part(400, 12.3, 16);
  const [moves] = stemMoves([stemOf('bass', bytes)], { ...whole, fractions: true }).values();
  const written = moveStem(bytes, { samples: moves! });
  expect(new WaveFile(written).bitDepth).toBe('24');
  expect(Math.abs(readStem(written, 0).lateMs!)).toBeLessThan(0.01);
});

test('with first clicks lined up, nothing is cut off at the end, and everything lands there', () => {
  const files = [part(400, 12.3), part(900, 31.7)];
  const stems = files.map((bytes, i) => stemOf(String(i), bytes));
  const moves = stemMoves(stems, { ...whole, together: true });
  const read = files.map((bytes, i) => readStem(moveStem(bytes, { samples: moves.get(String(i))! }), 0));
  expect(read.map(({ firstClickMs }) => firstClickMs)).toEqual([expect.closeTo(900, 0), expect.closeTo(900, 0)]);
  for (const { lateMs } of read) expect(Math.abs(lateMs!)).toBeLessThan(0.02);
  expect(read[0]!.seconds).toBeCloseTo(6.5, 2);
});

test('without a click the entered latency is used; with one channel, nothing is guessed', () => {
  const bytes = writeWav([hits(400)], RATE);
  expect(readStem(bytes, 0).problem).toContain('Only one channel');
  const known = { ...stemOf('voice', bytes, null), knownLateMs: 5 };
  expect(stemMoves([known], whole).get('voice')).toEqual([-240]);
  const silent = stemOf('silent', writeWav([hits(400), new Float32Array(RATE * 6)], RATE));
  expect(silent.reading.problem).toContain('silent');
  expect(stemMoves([silent], whole).get('silent')).toBeNull();
});

test('the list of shifts uses unique names and contains no formula', () => {
  const stems = [{ ...stemOf('bass', part(400, 12.3)), name: '=cmd|x.wav' }];
  const [, click, gear] = moveList(stems, stemMoves(stems, whole)).split('\r\n');
  expect(click).toContain("'=cmd|x.wav");
  expect(gear).toContain('-590');
  const names = [{ name: 'bass.WAV' }, { name: 'bass.wav' }];
  expect(writtenNames(names)).toEqual(['bass aligned.wav', 'bass aligned 2.wav']);
});
