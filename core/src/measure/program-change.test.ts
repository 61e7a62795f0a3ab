import { BeatBox } from '../standin/beat-box';
import { encodeMidi } from '../midi/encode-midi';
import { seededRandom } from '../standin/random';
import { VOICES, type VoiceName } from '../standin/voices';
import { measureProgramChange, planProgramTest, programLeads } from './program-change';

const RATE = 24_000;

interface Device {
  voices: [VoiceName, VoiceName];
  changeMs: number;
  jitterMs?: number;
  noise?: number;
  endMs?: number;
}

function play(seed: number, { voices, changeMs, jitterMs = 2, noise = 0.0004, endMs = Infinity }: Device) {
  const random = seededRandom(seed);
  const notes = planProgramTest(200);
  const lastsMs = Math.min(endMs, notes.at(-1)!.atMs + 600);
  const samples = Float32Array.from({ length: (lastsMs / 1000) * RATE }, () => noise * random.normal());
  const box = new BeatBox(
    { latencyMs: 12 + 20 * random.uniform(), jitterMs: 0.5, seed, programs: { voices, changeMs, jitterMs } },
    (atMs, voice) => {
      const from = Math.ceil((atMs / 1000) * RATE);
      for (let i = from; i < from + RATE / 2 && i < samples.length; i++)
        samples[i] = samples[i]! + 0.4 * VOICES[voice ?? voices[0]](i / RATE - atMs / 1000);
    },
  );
  const sent = [
    ...notes.map(({ atMs, leadMs, program }) => ({
      atMs: atMs - leadMs,
      message: { kind: 'programChange', channel: 1, program } as const,
    })),
    ...notes.map(({ atMs }) => ({ atMs, message: { kind: 'noteOn', channel: 1, note: 60, velocity: 100 } as const })),
  ].sort((a, b) => a.atMs - b.atMs);
  for (const { atMs, message } of sent) box.receive(encodeMidi(message), atMs);
  return measureProgramChange(samples, RATE, notes);
}

test('leads are geometric from 4 ms to 1 s, and neighbors in time differ a lot', () => {
  const leads = programLeads();
  const sorted = [...leads].sort((a, b) => a - b);
  expect([sorted[0], sorted.at(-1), new Set(leads).size]).toEqual([4, 1000, 20]);
  for (const [i, lead] of sorted.slice(5).entries()) expect(lead / sorted[i + 4]!).toBeCloseTo(1.34, 1);
  for (const [i, lead] of leads.slice(1).entries()) expect(Math.abs(Math.log(lead / leads[i]!))).toBeGreaterThan(1.5);
});

test('16 devices: the truth lies between the two leads, give or take its jitter', () => {
  const random = seededRandom(5);
  const pairs: [VoiceName, VoiceName][] = [
    ['string', 'bell'],
    ['wood', 'skin'],
    ['tin', 'bar'],
    ['shell', 'string'],
  ];
  for (let seed = 1; seed <= 16; seed++) {
    const changeMs = 6 * 100 ** random.uniform();
    const { tooShortMs, enoughMs } = play(seed, { voices: pairs[seed % 4]!, changeMs });
    expect(tooShortMs).toBeLessThanOrEqual(changeMs + 6);
    expect(enoughMs).toBeGreaterThanOrEqual(changeMs - 6);
    expect(enoughMs! / tooShortMs!).toBeLessThan(1.7);
  }
});

test('an instant change is less than the shortest lead', () => {
  expect(play(3, { voices: ['string', 'bell'], changeMs: 0, jitterMs: 0 })).toMatchObject({
    tooShortMs: null,
    enoughMs: 4,
  });
});

test('a change that takes longer than the notes wait is never called short', () => {
  const slow = play(4, { voices: ['string', 'bell'], changeMs: 1800 });
  expect(slow).toMatchObject({ tooShortMs: 1600, enoughMs: null });
  const slower = play(5, { voices: ['string', 'bell'], changeMs: 2600 });
  expect(slower).toMatchObject({ tooShortMs: 1600, enoughMs: null });
});

test('a test that was finished early judges what was played', () => {
  const { notes, tooShortMs, enoughMs } = play(8, { voices: ['wood', 'bell'], changeMs: 90, endMs: 25_500 });
  expect(notes.filter(({ leadMs }) => leadMs < 1600).map(({ leadMs }) => leadMs)).toEqual([4, 5, 7, 31, 41, 234, 313]);
  expect([tooShortMs, enoughMs]).toEqual([41, 234]);
  expect(() => play(8, { voices: ['wood', 'bell'], changeMs: 90, endMs: 9000 })).toThrow('finished too early');
});

test('programs that sound alike, and silence, are refused', () => {
  expect(() => play(6, { voices: ['bell', 'bell'], changeMs: 50 })).toThrow('Both programs sound alike');
  expect(() => measureProgramChange(new Float32Array(60 * RATE), RATE, planProgramTest(0))).toThrow('weren’t heard');
});
