import { FeedPlanner } from '../feed/feed-planner';
import { encodeMidi } from '../midi/encode-midi';
import { seededRandom } from '../standin/random';
import { Recorder, type RecorderSettings } from '../standin/recorder';
import { TempoMap } from '../tempo/tempo-map';
import { measureChase, type ChaseStart } from './measure-chase';
import { measureFollowing } from './measure-following';

/** A recorder that chases so many starts; what is on its tape is a click every half second of code. */
function chase(count: number, settings: Partial<RecorderSettings>): ChaseStart[] {
  const clicks: number[] = [];
  const recorder = new Recorder(
    { lockMs: [300, 1000], landsMs: [30, 50], clickEverySeconds: 0.5, seed: 3, ...settings },
    (ms) => clicks.push(ms),
  );
  return Array.from({ length: count }, (_, i) => {
    const startedMs = i * 10_000 + 1000;
    const planner = new FeedPlanner(new TempoMap([{ beat: 0, bpm: 120 }]), {
      sends: { clock: false, transport: false, position: false, timecode: '25' },
      offsetMs: 0,
      clockWhileStopped: false,
    });
    planner.start(startedMs, 0);
    planner.stop(startedMs + 6000);
    for (let nowMs = startedMs - 100; nowMs < startedMs + 7000; nowMs += 5) {
      for (const { atMs, message } of planner.plan(nowMs, nowMs + 5)) recorder.receive(encodeMidi(message), atMs);
      recorder.advance(nowMs + 5);
    }
    const pulsesMs = Array.from({ length: 12 }, (_, k) => startedMs + k * 500);
    return { startedMs, pulsesMs, onsetsMs: clicks.splice(0) };
  });
}

describe('chase', () => {
  test('software that lands 30 to 50 ms off, another place each time, is fit for cues (common practice)', () => {
    const { lockMs, landsMs, failed, fitFor } = measureChase(chase(12, {}));
    expect(failed).toBe(0);
    expect(landsMs!.least).toBeGreaterThan(29);
    expect(landsMs!.most).toBeLessThan(51);
    expect(landsMs!.spread).toBeGreaterThan(10);
    // It sounds at the first click after it has locked, which may be half a second on.
    expect(lockMs!.median).toBeGreaterThan(300);
    expect(lockMs!.worst).toBeLessThan(1600);
    expect(fitFor).toBe('cues');
  });

  test('what lands late but always at the same place is fit for everything: an offset does the rest', () => {
    const { landsMs, fitFor } = measureChase(chase(8, { landsMs: [40, 40.5] }));
    expect(landsMs!.median).toBeCloseTo(40.25, 0);
    expect(fitFor).toBe('everything');
    expect(measureChase(chase(8, { landsMs: [36, 43] })).fitFor).toBe('playing along');
  });

  test('one that does not run at some start is fit for nothing, and that is counted', () => {
    const starts = chase(3, {});
    const { failed, fitFor, starts: landings } = measureChase([...starts, { ...starts[0]!, onsetsMs: [] }]);
    expect([failed, fitFor]).toEqual([1, 'nothing']);
    expect(landings[3]).toEqual({ lockMs: null, landsMs: null, stood: null });
    expect(landings[0]!.stood).toEqual({ hub: 12, follower: 12 });
    expect(() => measureChase([])).toThrow(/one start at least/);
  });
});

/** Sixteen beats at one tempo and thirty-two at another, heard so late at each, with the change taken over these many beats late. */
function step({ lateBefore = 12, lateAfter = 12, strays = [] as number[], sigma = 0.3, seed = 1 } = {}) {
  const random = seededRandom(seed);
  const map = new TempoMap([
    { beat: 0, bpm: 100 },
    { beat: 16, bpm: 140 },
  ]);
  const pulsesMs = Array.from({ length: 48 }, (_, beat) => 1000 + map.msAt(beat));
  const onsetsMs = pulsesMs.map((ms, beat) => {
    const late = beat < 16 ? lateBefore : lateAfter + (strays[beat - 16] ?? 0);
    return ms + late + sigma * random.normal();
  });
  const changeMs = 1000 + map.msAt(16);
  return { pulsesMs, onsetsMs, fromMs: changeMs, toMs: changeMs };
}

describe('a change of tempo', () => {
  test('one that has it at once did not stray, and its latency does not depend on the tempo', () => {
    const { settledMs, strayMs, before, after, dependsMs } = measureFollowing(step());
    expect(settledMs).toBe(0);
    expect(strayMs).toBe(0);
    expect(before.medianMs).toBeCloseTo(12, 0);
    expect(after.medianMs).toBeCloseTo(12, 0);
    expect(dependsMs.told).toBe(false);
  });

  test('one that needs four beats: so long, and as far as it strayed', () => {
    const { settledMs, strayMs } = measureFollowing(step({ strays: [60, 40, 20, 8] }));
    expect(settledMs).toBeCloseTo(4 * (60_000 / 140), 3);
    expect(strayMs).toBeCloseTo(60, 0);
  });

  test('a latency that depends on the tempo is told, with its interval', () => {
    const { dependsMs } = measureFollowing(step({ lateAfter: 15 }));
    expect(dependsMs.differenceMs).toBeCloseTo(3, 0);
    expect(dependsMs.told).toBe(true);
    expect(dependsMs.ci95Ms[0]).toBeLessThan(3);
    expect(dependsMs.ci95Ms[1]).toBeGreaterThan(3);
  });

  test('too few beats on a side are refused', () => {
    const { pulsesMs, onsetsMs, fromMs } = step();
    expect(() => measureFollowing({ pulsesMs, onsetsMs, fromMs, toMs: pulsesMs[44]! })).toThrow(/8 beats before/);
  });
});
