import { seededRandom, type SeededRandom } from '../standin/random';
import { secondsToFrames } from '../timecode/timecode';
import { quarterFrameNumber } from '../timecode/timecode-messages';
import { midiStreams, type Arrival, type HubStretch } from './midi-return';

const SEEDS = 200;
const { imul, ceil } = Math;

const at120: HubStretch = {
  ...{ fromMs: 10_000, toMs: 18_000, beatMs: 10_040, songMs: 4000, bpm: 120 },
  ...{ codeSeconds: 3600, rate: '25' },
};

interface Truth {
  lateMs: number;
  jitterMs: number;
  random: SeededRandom;
}

const sorted = (all: Arrival[]) => all.sort((a, b) => a.atMs - b.atMs);
/** Ticks, or notes on parts of a beat, of a device that is late by a constant and some jitter. */
function steps({ beatMs, bpm }: HubStretch, parts: number, { lateMs, jitterMs, random }: Truth): number[] {
  const stepMs = 60_000 / bpm / parts;
  return Array.from({ length: ceil(9000 / stepMs) }, (_, i) => beatMs - 500 + ((i * stepMs) as number))
    .map((ms) => beatMs + Math.round((ms - beatMs) / stepMs) * stepMs)
    .map((ms) => ms + lateMs + jitterMs * random.normal());
}
const clock = (stretch: HubStretch, truth: Truth) =>
  sorted(steps(stretch, 24, truth).map((atMs): Arrival => ({ message: { kind: 'clock' }, atMs })));
const notes = (stretch: HubStretch, parts: number, truth: Truth) =>
  sorted(
    steps(stretch, parts, truth).map((atMs): Arrival => ({
      message: { kind: 'noteOn', channel: 10, note: 36, velocity: 90 },
      atMs,
    })),
  );

/** Quarter frames as MIDI timecode has them: four a frame, each piece at its quarter of the code. */
function timecode({ beatMs, songMs, codeSeconds, rate }: HubStretch, { lateMs, jitterMs, random }: Truth): Arrival[] {
  const quarterMs = 250 / secondsToFrames(1, rate);
  const zero = Math.round((4 * secondsToFrames(codeSeconds + songMs / 1000, rate)) / 8) * 8;
  const zeroMs = beatMs + (zero / 4 / secondsToFrames(1, rate) - codeSeconds) * 1000 - songMs;
  return sorted(
    Array.from({ length: 900 }, (_, i) => ({
      message: quarterFrameNumber(zero + i, rate),
      atMs: zeroMs + i * quarterMs + lateMs + jitterMs * random.normal(),
    })),
  );
}

describe('200 seeded streams with up to 1 ms of jitter', () => {
  // Sixteen quarter notes with 1 ms of jitter leave a median uncertain by 0.3 ms.
  const tried: [string, number, number, (stretch: HubStretch, truth: Truth) => Arrival[]][] = [
    ['clock', 0.3, 12, clock],
    ['quarters', 1.1, 150, (stretch, truth) => notes(stretch, 1, truth)],
    ['eighths', 1.1, 60, (stretch, truth) => notes(stretch, 2, truth)],
    ['timecode', 0.3, 400, timecode],
  ];
  test.each(tried)('%s: within %d ms, and the interval holds the truth', (_, withinMs, mostMs, play) => {
    let [holds, believed] = [0, 0];
    for (let seed = 1; seed <= SEEDS; seed++) {
      const random = seededRandom(imul(seed, 0x9e3779b1));
      const rate = (['24', '25', '30'] as const)[seed % 3]!;
      const stretch = { ...at120, bpm: 90 + 60 * random.uniform(), rate };
      const lateMs = mostMs * random.uniform() * 0.9;
      const [stream] = midiStreams(play(stretch, { lateMs, jitterMs: random.uniform(), random }), stretch);
      const { believable, medianMs, ci95Ms } = stream!.report;
      if (!believable) continue;
      believed++;
      expect(Math.abs(medianMs - lateMs)).toBeLessThan(withinMs);
      if (ci95Ms[0] <= lateMs && lateMs <= ci95Ms[1]) holds++;
    }
    expect(believed).toBeGreaterThan(0.97 * SEEDS);
    // Binomial: 95 % ± 3 deviations.
    expect(holds / believed).toBeGreaterThan(0.9);
  });
});

test('a device on its internal clock is recognized by its tempo, even 0.2 BPM away', () => {
  const random = seededRandom(3);
  const itself = { ...at120, bpm: 120.2 };
  const [stream] = midiStreams(clock(itself, { lateMs: 3, jitterMs: 0.3, random }), at120);
  expect(stream!.report).toMatchObject({
    believable: false,
    reason: 'Its clock runs at 120.20 BPM, not 120.00: it sends its own tempo. Set its clock source to external.',
  });
});

test('lost ticks are counted and move nothing', () => {
  const random = seededRandom(5);
  const all = clock(at120, { lateMs: 4, jitterMs: 0.2, random }).filter((_, i) => i % 40 !== 0);
  const [stream] = midiStreams(all, at120);
  expect(stream!.report.medianMs).toBeCloseTo(4, 0);
  expect(stream!.report.missed).toBeGreaterThan(5);
  expect(stream!.report.believable).toBe(true);
});

test('timecode of another place is named, and midnight is none', () => {
  const truth = { lateMs: 5, jitterMs: 0, random: seededRandom(9) };
  const [elsewhere] = midiStreams(timecode({ ...at120, codeSeconds: 3570 }, truth), at120);
  expect(elsewhere!.report).toMatchObject({
    believable: false,
    reason: 'Its timecode is 30.0 s behind the hub’s. Check the start time on both.',
  });
  const late = { ...at120, codeSeconds: 86_400 - 4 };
  const [atMidnight] = midiStreams(timecode({ ...at120, codeSeconds: -4 }, truth), late);
  expect(atMidnight!.report).toMatchObject({ believable: true, medianMs: expect.closeTo(5, 3) });
});

test('timecode at another rate is named; a performance of many notes and a few strays give no number', () => {
  const random = seededRandom(7);
  const truth = { lateMs: 5, jitterMs: 0, random };
  const [stream] = midiStreams(timecode({ ...at120, rate: '30' }, truth), at120);
  expect(stream!.report.reason).toBe(
    'It sends timecode at 30 frames per second, the song is at 25. Set both to the same rate.',
  );
  const stray: Arrival = { message: { kind: 'noteOn', channel: 1, note: 60, velocity: 9 }, atMs: 12_000 };
  expect(midiStreams([stray, stray, stray], at120)).toEqual([]);
});
