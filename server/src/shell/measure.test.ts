import { writeTempoFile, writeWav } from '@metronomo/core';
import { InputError, measureFile, wordsFor } from './measure';

const RATE = 48_000;

/** A mono sound at each time, in ms. */
function hits(timesMs: readonly number[], hz: number, seconds = 18): Float32Array {
  const samples = new Float32Array(seconds * RATE);
  for (const ms of timesMs)
    for (let i = 0, at = Math.round((ms / 1000) * RATE); i < 2000 && at + i < samples.length; i++)
      samples[at + i] = 0.5 * Math.cos((2 * Math.PI * hz * i) / RATE) * Math.exp(-i / 300);
  return samples;
}

const beats = Array.from({ length: 32 }, (_, i) => 500 + 500 * i);
const late = (ms: number, every = 1) => beats.filter((_, i) => i % every === 0).map((at) => at + ms);
const recording = writeWav([hits(beats, 2000), hits(late(12.5), 300), hits(late(3), 700)], RATE);

test('each device channel is measured against the click, with the tempo found', () => {
  const measured = measureFile(recording, { firstBeat: 0 });
  expect(measured).toMatchObject([
    {
      channel: 2,
      reliable: true,
      lateMs: expect.closeTo(12.5, 1),
      bpm: expect.closeTo(120, 2),
      hitsPerBeat: 1,
      heard: 32,
    },
    { channel: 3, reliable: true, lateMs: expect.closeTo(3, 1) },
  ]);
  expect(wordsFor(measured[0]!)).toMatch(
    /^Channel 2: 12\.5\d ms late \(95% interval .* jitter 0\.00 ms\)\n {2}32 heard/,
  );
});

test('a fixed tempo or a tempo map stands in for the click', () => {
  const gear = writeWav([hits(late(8), 300)], RATE);
  const byTempo = measureFile(gear, { bpm: 120, firstBeat: 0.5 });
  expect(byTempo).toMatchObject([{ channel: 1, reliable: true, lateMs: expect.closeTo(8, 1) }]);
  const tempo = [
    { beat: 0, bpm: 120 },
    { beat: 8, bpm: 100 },
  ];
  const timesMs = Array.from({ length: 24 }, (_, beat) => 1250 + (beat < 8 ? 500 * beat : 4000 + 600 * (beat - 8)));
  const sung = writeWav(
    [
      hits(
        timesMs.map((ms) => ms + 21),
        300,
      ),
    ],
    RATE,
  );
  const byMap = measureFile(sung, { tempoMap: writeTempoFile(tempo), firstBeat: 1.25 });
  expect(byMap).toMatchObject([{ reliable: true, lateMs: expect.closeTo(21, 1) }]);
});

test('a device on its internal clock is not reliable, and no number looks like a result', () => {
  const own = writeWav(
    [
      hits(beats, 2000),
      hits(
        beats.map((_, i) => 500 + (60_000 / 123) * i),
        300,
      ),
    ],
    RATE,
  );
  const [one] = measureFile(own, { firstBeat: 0 });
  expect(one).toMatchObject({ reliable: false, lateMs: null, ci95Ms: null, bpm: expect.closeTo(123, 1) });
  expect(one!.findings).toMatchObject([{ kind: 'otherTempo' }]);
  expect(wordsFor(one!)).toMatch('not reliable. It plays at 123.0 BPM');
});

test('a silent channel is not reliable; the others are measured', () => {
  const measured = measureFile(writeWav([hits(beats, 2000), new Float32Array(18 * RATE), hits(late(3), 300)], RATE), {
    firstBeat: 0,
  });
  expect(measured).toMatchObject([
    { channel: 2, reliable: false },
    { channel: 3, reliable: true },
  ]);
});

test.each([
  ['text', new TextEncoder().encode('Not a recording'), {}, 'isn’t a WAV file'],
  ['no click', writeWav([new Float32Array(18 * RATE), hits(beats, 300)], RATE), {}, 'click channel is silent'],
  ['one channel', writeWav([hits(beats, 300)], RATE), {}, 'Only one channel'],
  ['a channel too many', recording, { gear: [4] }, 'no channel 4'],
  ['a channel that is none', recording, { click: 0 }, 'click'],
  ['no tempo', recording, { bpm: NaN }, 'bpm'],
  ['a tempo map that is none', recording, { tempoMap: recording }, 'MIDI'],
])('%s is refused with a reason', (_, bytes, options, reason) => {
  const measure = () => measureFile(bytes, { firstBeat: 0, ...options });
  expect(measure).toThrow(InputError);
  expect(measure).toThrow(reason);
});
