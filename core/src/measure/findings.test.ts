import { seededRandom, type SeededRandom } from '../standin/random';
import { explainHits } from './findings';

const every = (ms: number, count: number, from = 1000) => Array.from({ length: count }, (_, i) => from + i * ms);
const PULSES = every(500, 32);
const CASES = 20;
const JITTERS_MS = [0, 0.1, 0.5, 1];

type Hits = (random: SeededRandom, i: number) => number[];

/** The same for every seed, with a jitter of its own. */
function findingsOf(hits: Hits, jittersMs = JITTERS_MS) {
  return Array.from({ length: CASES }, (_, i) => {
    const random = seededRandom(i * 7919 + 3);
    const jitterMs = jittersMs[i % jittersMs.length]!;
    return explainHits(
      PULSES,
      hits(random, i).map((ms) => ms + jitterMs * random.normal()),
    );
  });
}

test.each<[string, Hits, object]>([
  [
    'its internal clock at 123 BPM',
    (r) => every(60_000 / 123, 32, 1000 + 400 * r.uniform()),
    { kind: 'otherTempo', bpm: expect.closeTo(123, 0) },
  ],
  [
    'its internal clock at 110 BPM',
    (r) => every(60_000 / 110, 30, 1000 + 400 * r.uniform()),
    { kind: 'otherTempo', bpm: expect.closeTo(110, 0) },
  ],
  ['eighths', () => every(250, 64, 1012), { kind: 'double', hitsPerBeat: 2 }],
  ['triplets', () => every(500 / 3, 96, 1012), { kind: 'double', hitsPerBeat: 3 }],
  ['sixteenths', () => every(125, 128, 1012), { kind: 'double', hitsPerBeat: 4 }],
  ['half notes', () => every(1000, 16, 1012), { kind: 'half', hitsPerBeat: 0.5 }],
  ['one hit a bar', () => every(2000, 8, 1012), { kind: 'half', hitsPerBeat: 0.25 }],
  ['an eighth off the beat', () => every(500, 32, 1262), { kind: 'offBeat', beats: 0.5 }],
  [
    '120.1 BPM',
    () => PULSES.map((ms) => 1012 + (ms - 1000) / 1.000833),
    { kind: 'drift', ppm: expect.closeTo(-833, -2) },
  ],
  ['200 ppm slow', () => PULSES.map((ms) => ms + 12 + (ms - 1000) * 2e-4), { kind: 'drift' }],
  [
    'a jump of 10 ms',
    (_, i) => PULSES.map((ms, beat) => ms + (beat < 8 + (i % 16) ? 12 : 22)),
    { kind: 'jump', ms: expect.closeTo(10, -1) },
  ],
  [
    'off-beats 10 ms later',
    () => PULSES.map((ms, beat) => ms + (beat % 2 ? 22 : 12)),
    { kind: 'groups', every: 2, first: 1 },
  ],
  [
    'a third of the beats 10 ms later',
    (_, i) => PULSES.map((ms, beat) => ms + (beat % 3 === i % 3 ? 22 : 12)),
    { kind: 'groups', every: 3 },
  ],
  [
    '385 ms late',
    () => PULSES.map((ms) => ms + 385),
    { kind: 'ambiguous', lateMs: expect.closeTo(-115, -1), orLateMs: expect.closeTo(385, -1) },
  ],
])('%s is recognized in all of 20 cases', (_, hits, finding) => {
  // Half a millisecond of jitter on half the beats hides a drift of 3 ms.
  const jitters = 'kind' in finding && finding.kind === 'drift' ? [0, 0.1, 0.2] : JITTERS_MS;
  for (const { findings } of findingsOf(hits, jitters)) expect(findings).toEqual([expect.objectContaining(finding)]);
});

test('hits on the beat, early or late, with jitter and some missing: nothing is found', () => {
  for (const lateMs of [-100, -20, 0, 3, 12, 40, 150])
    for (const kept of [1, 0.92])
      for (const { findings, reason } of findingsOf(
        (random) => PULSES.filter((_, i) => i === 0 || random.uniform() < kept).map((ms) => ms + lateMs),
        [0, 0.02, 0.3, 1, 3],
      )) {
        expect(findings).toEqual([]);
        expect(reason).toBeUndefined();
      }
});

test.each([
  [240, 200, 'ambiguous'],
  [240, 235, 'ambiguous'],
  [200, 270, 'ambiguous'],
  [120, 470, undefined],
])(
  'at %d BPM and %d ms late, in a take from the middle of playing that ends 4/5 of a beat after its last',
  (bpm, lateMs, kind) => {
    const beatMs = 60_000 / bpm;
    const played = every(beatMs, 40, 60 - 4 * beatMs);
    const pulses = played.slice(4, 36);
    const recordedMs = pulses.at(-1)! + 0.8 * beatMs;
    const heard = played.map((ms) => ms + lateMs).filter((ms) => ms > 0 && ms < recordedMs);
    // Half a second late is less likely than a little early.
    expect(explainHits(pulses, heard, { recordedMs }).findings[0]?.kind).toBe(kind);
  },
);

test('a third of the beats 10 ms later were heard, all of them', () => {
  const [one] = findingsOf(() => PULSES.map((ms, beat) => ms + (beat % 3 ? 12 : 22)));
  expect(one!.matching).toMatchObject({ missed: 0, extra: 0 });
  expect(one!.reason).toMatch('Two groups of hits, 10.0 ms apart');
});

test('with a tempo map: later by 12 ms from the new tempo on is a jump there, and an even part is none', () => {
  const pulses = [...every(500, 16), ...every(60_000 / 90, 16, 9000)];
  for (let seed = 0; seed < CASES; seed++) {
    const random = seededRandom(seed * 7919 + 3);
    const hits = (laterMs: number) =>
      pulses.map((ms, i) => ms + 8 + (i < 16 ? 0 : laterMs) + JITTERS_MS[seed % 4]! * random.normal());
    expect(explainHits(pulses, hits(12)).findings).toEqual([
      { kind: 'jump', ms: expect.closeTo(12, -0.3) as number, atBeat: 16 },
    ]);
    const { matching, findings } = explainHits(pulses, hits(0));
    expect(findings).toEqual([]);
    expect(matching.missed).toBe(0);
  }
});
