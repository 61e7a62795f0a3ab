import { FeedPlanner } from '../feed/feed-planner';
import { encodeMidi } from '../midi/encode-midi';
import { BeatBox, type BeatBoxSettings } from '../standin/beat-box';
import { seededRandom } from '../standin/random';
import { TempoMap } from '../tempo/tempo-map';
import { measureChase, wrongStarts, type ChaseStart } from './measure-chase';

const { abs, imul } = Math;
const BPM = 120;
const BEAT_MS = 60_000 / BPM;
const BEATS = 8;
const SENDS = { clock: true, transport: true, position: true, timecode: null };

/** A drum machine that is started a number of times from a beat of the song. `slept`: starts that it begins a bar late. */
function repeat(
  count: number,
  fromBeat: number,
  settings: Partial<BeatBoxSettings>,
  slept: number[] = [],
): ChaseStart[] {
  const hits: number[] = [];
  const box = new BeatBox({ latencyMs: 12, jitterMs: 0.4, seed: 1, ...settings }, (ms) => hits.push(ms));
  return Array.from({ length: count }, (_, i) => {
    const startedMs = i * 10_000 + 1000;
    const planner = new FeedPlanner(new TempoMap([{ beat: 0, bpm: BPM }]), {
      sends: SENDS,
      offsetMs: 0,
      clockWhileStopped: false,
    });
    planner.start(startedMs, fromBeat);
    planner.stop(startedMs + BEATS * BEAT_MS - 100);
    for (const { atMs, message } of planner.plan(startedMs - 100, startedMs + 5000))
      box.receive(encodeMidi(message), atMs);
    const onsetsMs = hits.splice(0).slice(slept.includes(i) ? 4 : 0);
    return { startedMs, pulsesMs: Array.from({ length: BEATS }, (_, k) => startedMs + k * BEAT_MS), onsetsMs };
  });
}

test('starts that land alike line up, whether from the top or from bar 5', () => {
  for (const fromBeat of [0, 16]) {
    const { starts, landsMs, failed } = measureChase(repeat(8, fromBeat, {}));
    expect(failed).toBe(0);
    expect(landsMs!.median).toBeCloseTo(12, 0);
    expect(landsMs!.spread).toBeLessThan(1);
    expect(starts.map(({ began }) => began)).toEqual(Array(8).fill(0));
  }
});

test('20 starts of a follower with 3 ms of spread: the spread is right within 25%', () => {
  const SEEDS = 60;
  let near = 0;
  for (let seed = 1; seed <= SEEDS; seed++) {
    const { landsMs } = measureChase(repeat(20, 0, { startSpreadMs: 3, seed: imul(seed, 0x9e3779b1) }));
    if (abs(landsMs!.spread - 3) <= 0.25 * 3) near++;
  }
  // The range of 20 even draws is below 75% of the whole in 2.4% of all cases (order statistics).
  expect(near / SEEDS).toBeGreaterThanOrEqual(0.93);
});

test('a start that begins a bar late is named, wherever it is among the others', () => {
  const random = seededRandom(3);
  for (let i = 0; i < 20; i++) {
    const late = Math.floor(20 * random.uniform());
    const { starts } = measureChase(repeat(20, 16, { startSpreadMs: 3, seed: imul(i + 1, 0x9e3779b1) }, [late]));
    expect(wrongStarts(starts)).toEqual([{ start: late, later: 4 }]);
  }
});

test('a device that can only start from the top never starts from bar 5', () => {
  const { starts, failed, landsMs } = measureChase(repeat(4, 16, { fromTopOnly: true }));
  expect([failed, landsMs, wrongStarts(starts)]).toEqual([4, null, []]);
});
