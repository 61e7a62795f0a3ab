import { seededRandom } from '../standin/random';
import { TempoMap, type TempoPoint } from '../tempo/tempo-map';
import { measureTempoRun } from './measure-tempo-run';

const LATENCY_MS = 14;
/** A song with a step, a ramp, and a step back to where it began. */
const SONG: TempoPoint[] = [
  { beat: 0, bpm: 120 },
  { beat: 32, bpm: 90 },
  { beat: 64, bpm: 90, curve: 'linear' },
  { beat: 80, bpm: 150 },
  { beat: 112, bpm: 120 },
];
const pulsesOf = (points: readonly TempoPoint[], beats: number) => {
  const map = new TempoMap(points);
  return Array.from({ length: beats }, (_, beat) => 500 + map.msAt(beat));
};
/** Hits of a device, with what is added to its latency at a time. */
function hits(pulsesMs: number[], seed: number, added: (ms: number) => number = () => 0): number[] {
  const random = seededRandom(Math.imul(seed, 0x9e3779b1));
  return pulsesMs.map((ms) => ms + LATENCY_MS + added(ms) + 0.3 * random.normal());
}

test('200 followers of a song’s own tempo map: every change is found, and taken at once', () => {
  const pulsesMs = pulsesOf(SONG, 144);
  for (let seed = 1; seed <= 200; seed++) {
    const { before, changes, missed } = measureTempoRun({ pulsesMs, onsetsMs: hits(pulsesMs, seed) });
    expect(before.medianMs).toBeCloseTo(LATENCY_MS, 0);
    expect(missed).toBe(0);
    const rounded = changes.map(({ fromBpm, toBpm }) => [Math.round(fromBpm), Math.round(toBpm)]);
    expect(rounded).toEqual([
      [120, 90],
      [90, 150],
      [150, 120],
    ]);
    for (const { settledMs, strayMs, ticksLost, shiftMs } of changes) {
      expect(settledMs).toBe(0);
      expect(Math.abs(strayMs)).toBeLessThan(1.8);
      expect(Math.abs(shiftMs)).toBeLessThan(0.6);
      expect(ticksLost).toBe(0);
    }
  }
});

test('how long it takes to settle, and how far it strays', () => {
  const pulsesMs = pulsesOf(SONG.slice(0, 2), 80);
  const stepMs = pulsesMs[32]!;
  const lag = (ms: number) => (ms < stepMs ? 0 : 40 * Math.exp(-(ms - stepMs) / 1000));
  const [change] = measureTempoRun({ pulsesMs, onsetsMs: hits(pulsesMs, 3, lag) }).changes;
  expect(change?.strayMs).toBeGreaterThan(38.5);
  // 40 ms fall to 2 ms in three time constants; the limit allows for its jitter.
  expect(change?.settledMs).toBeGreaterThan(1900);
  expect(change?.settledMs).toBeLessThan(3400);
});

test.each([
  [2, 'lost'],
  [-1, 'gained'],
])('%d ticks at a change are %s for good', (ticks) => {
  const pulsesMs = pulsesOf(SONG.slice(0, 2), 80);
  const tickMs = 60_000 / 90 / 24;
  const shifted = (ms: number) => (ms < pulsesMs[32]! ? 0 : ticks * tickMs);
  const [change] = measureTempoRun({ pulsesMs, onsetsMs: hits(pulsesMs, 4, shifted) }).changes;
  expect(change?.ticksLost).toBe(ticks);
  expect(change?.shiftMs).toBeCloseTo(ticks * tickMs, 0);
});

test('a hand that turns the tempo a few times within two bars makes one change', () => {
  const turns: TempoPoint[] = [104, 112, 118, 121].map((bpm, i) => ({ beat: 20 + 3 * i, bpm }));
  const pulsesMs = pulsesOf([{ beat: 0, bpm: 96 }, ...turns], 60);
  const { changes } = measureTempoRun({ pulsesMs, onsetsMs: hits(pulsesMs, 5) });
  expect(changes).toHaveLength(1);
  expect(changes[0]?.fromBpm).toBeCloseTo(96, 6);
  expect(changes[0]?.toBpm).toBeCloseTo(121, 6);
});

test('a leader whose beats jitter by 0.15 ms doesn’t change its tempo by that', () => {
  const random = seededRandom(9);
  const pulsesMs = pulsesOf(SONG.slice(0, 2), 80).map((ms) => ms + 0.15 * random.normal());
  expect(measureTempoRun({ pulsesMs, onsetsMs: hits(pulsesMs, 6) }).changes).toHaveLength(1);
});

test('200 followers of a leader that is heard: its jitter is no change of tempo, and a beat that isn’t heard none either', () => {
  const [before, after] = [
    { beat: 0, bpm: 110 },
    { beat: 40, bpm: 126 },
  ];
  let holds = 0;
  for (let seed = 1; seed <= 200; seed++) {
    const random = seededRandom(Math.imul(seed, 0x9e3779b1));
    const exact = pulsesOf([before, after], 90);
    const played = exact.map((ms) => ms + 0.6 * random.normal());
    const onsetsMs = played.map((ms, beat) => ms + LATENCY_MS + (beat === 40 ? 25 : 0) + 0.3 * random.normal());
    const pulsesMs = played.filter((_, beat) => beat !== 20 && beat !== 71);
    const report = measureTempoRun({ pulsesMs, onsetsMs, bySound: true });
    expect(report.changes).toHaveLength(1);
    const [change] = report.changes;
    expect(Math.abs(change!.fromMs - exact[40]!)).toBeLessThan(3);
    expect(Math.abs(change!.strayMs - 25)).toBeLessThan(2.5);
    expect(Math.abs(change!.settledMs! - 60_000 / 126)).toBeLessThan(3);
    expect(report.missed).toBe(0);
    const [low, high] = report.before.ci95Ms;
    if (low <= LATENCY_MS && LATENCY_MS <= high) holds++;
  }
  // 95% of 200, less two standard errors.
  expect(holds).toBeGreaterThanOrEqual(184);
});

test('a heard leader that drops to half its tempo has changed it; it hasn’t missed every other beat', () => {
  const pulsesMs = pulsesOf(
    [
      { beat: 0, bpm: 140 },
      { beat: 30, bpm: 70 },
    ],
    60,
  );
  const { changes } = measureTempoRun({ pulsesMs, onsetsMs: hits(pulsesMs, 11), bySound: true });
  expect(changes).toMatchObject([{ fromBpm: expect.closeTo(140, 3), toBpm: expect.closeTo(70, 3) }]);
});

test('beats without a hit are counted', () => {
  const pulsesMs = pulsesOf(SONG.slice(0, 2), 80);
  const onsetsMs = hits(pulsesMs, 7).filter((_, i) => i % 20 !== 7);
  expect(measureTempoRun({ pulsesMs, onsetsMs }).missed).toBe(4);
});

test.each([
  ['an even tempo', [{ beat: 0, bpm: 120 }], 'The tempo didn’t change.'],
  [
    'a change too soon',
    [
      { beat: 0, bpm: 120 },
      { beat: 5, bpm: 90 },
    ],
    'The tempo changed too soon.',
  ],
  [
    'a change at the end',
    [
      { beat: 0, bpm: 120 },
      { beat: 55, bpm: 90 },
    ],
    'The tempo didn’t change.',
  ],
])('%s says what to do', (_, points, sentence) => {
  const pulsesMs = pulsesOf(points, 60);
  expect(() => measureTempoRun({ pulsesMs, onsetsMs: hits(pulsesMs, 8) })).toThrow(sentence);
});
