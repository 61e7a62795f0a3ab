import { FeedPlanner } from '../feed/feed-planner';
import { encodeMidi } from '../midi/encode-midi';
import { seededRandom } from '../standin/random';
import { Recorder, type RecorderSettings } from '../standin/recorder';
import { TempoMap } from '../tempo/tempo-map';
import { measureChase, type ChaseStart } from './measure-chase';
import { measureFollowing } from './measure-following';

/** A recorder that chases a number of starts, with a click every half second of code on its tape. */
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
  test('software that lands 30 to 50 ms off, differently each time, is fit for cues (common practice)', () => {
    const { lockMs, landsMs, failed, fitFor } = measureChase(chase(12, {}));
    expect(failed).toBe(0);
    expect(landsMs!.least).toBeGreaterThan(29);
    expect(landsMs!.most).toBeLessThan(51);
    expect(landsMs!.spread).toBeGreaterThan(10);
    // It sounds at the first click after locking, up to half a second later.
    expect(lockMs!.median).toBeGreaterThan(300);
    expect(lockMs!.worst).toBeLessThan(1600);
    expect(fitFor).toBe('cues');
  });

  test('a constant lateness is fit for everything, because an offset corrects it', () => {
    const { landsMs, fitFor } = measureChase(chase(8, { landsMs: [40, 40.5] }));
    expect(landsMs!.median).toBeCloseTo(40.25, 0);
    expect(fitFor).toBe('everything');
    expect(measureChase(chase(8, { landsMs: [36, 43] })).fitFor).toBe('playing along');
  });

  test('one that fails to run at some start is fit for nothing, and the failure is counted', () => {
    const starts = chase(3, {});
    const { failed, fitFor, starts: landings } = measureChase([...starts, { ...starts[0]!, onsetsMs: [] }]);
    expect([failed, fitFor]).toEqual([1, 'nothing']);
    expect(landings[3]).toEqual({ lockMs: null, landsMs: null, stood: null, began: null });
    expect(landings[0]!.stood).toEqual({ hub: 12, follower: 12 });
    expect(() => measureChase([])).toThrow(/No starts/);
  });
});

/**
 * Sixteen beats at one tempo and thirty-two at another, with a given latency at each and a given number of beats to
 * settle.
 */
function step({ lateBefore = 12, lateAfter = 12, strays = [] as number[], sigma = 0.3, seed = 1, toBpm = 140 } = {}) {
  const random = seededRandom(seed);
  const map = new TempoMap([
    { beat: 0, bpm: 100 },
    { beat: 16, bpm: toBpm },
  ]);
  const pulsesMs = Array.from({ length: 48 }, (_, beat) => 1000 + map.msAt(beat));
  const onsetsMs = pulsesMs.map((ms, beat) => {
    const late = beat < 16 ? lateBefore : lateAfter + (strays[beat - 16] ?? 0);
    return ms + late + sigma * random.normal();
  });
  const changeMs = 1000 + map.msAt(16);
  return { pulsesMs, onsetsMs, fromMs: changeMs, toMs: changeMs };
}

describe('tempo change', () => {
  test('a follower that changes immediately shows no deviation and no dependence on tempo', () => {
    const { settledMs, strayMs, before, after, dependsMs } = measureFollowing(step());
    expect(settledMs).toBe(0);
    expect(strayMs).toBe(0);
    expect(before.medianMs).toBeCloseTo(12, 0);
    expect(after.medianMs).toBeCloseTo(12, 0);
    expect(dependsMs.told).toBe(false);
  });

  test('a follower that needs four beats: settling time and deviation are measured', () => {
    const { settledMs, strayMs } = measureFollowing(step({ strays: [60, 40, 20, 8] }));
    expect(settledMs).toBeCloseTo(4 * (60_000 / 140), 3);
    expect(strayMs).toBeCloseTo(60, 0);
  });

  test.each([50, 75, 150, 200])('from 100 to %d BPM: settling time and deviation are measured', (toBpm) => {
    for (let seed = 1; seed <= 20; seed++) {
      const { settledMs, strayMs, dependsMs } = measureFollowing(step({ toBpm, strays: [60, 40, 20, 8], seed }));
      expect(settledMs).toBeCloseTo(4 * (60_000 / toBpm), 3);
      expect(Math.abs(strayMs - 60)).toBeLessThan(2);
      expect(Math.abs(dependsMs.differenceMs)).toBeLessThan(0.5);
    }
  });

  test('latency that depends on tempo is detected, with its interval', () => {
    const { dependsMs } = measureFollowing(step({ lateAfter: 15 }));
    expect(dependsMs.differenceMs).toBeCloseTo(3, 0);
    expect(dependsMs.told).toBe(true);
    expect(dependsMs.ci95Ms[0]).toBeLessThan(3);
    expect(dependsMs.ci95Ms[1]).toBeGreaterThan(3);
  });

  test('too few beats on either side are rejected', () => {
    const { pulsesMs, onsetsMs, fromMs } = step();
    expect(() => measureFollowing({ pulsesMs, onsetsMs, fromMs, toMs: pulsesMs[44]! })).toThrow(
      /at least 8 are needed before/,
    );
  });
});
