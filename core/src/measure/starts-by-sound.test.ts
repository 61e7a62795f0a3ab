import { seededRandom } from '../standin/random';
import { wrongStarts } from './measure-chase';
import { startsBySound } from './starts-by-sound';

const BEAT_MS = 500;
const BEATS = 8;
/** Starts of a program, eight beats each, with pauses of about two seconds. */
const RUNS_MS = Array.from({ length: 20 }, (_, i) => 1000 + i * 6170);
const beatsFrom = (startMs: number, count = BEATS) => Array.from({ length: count }, (_, i) => startMs + i * BEAT_MS);
const PULSES = RUNS_MS.flatMap((ms) => beatsFrom(ms));

/** A program that chases another: late by a constant, and by something else at each start. */
function chaser(
  seed: number,
  spreadMs: number,
  change: (run: number, beats: number[]) => number[] = (_, beats) => beats,
) {
  const random = seededRandom(Math.imul(seed, 0x9e3779b1));
  return RUNS_MS.flatMap((ms, run) => {
    const lateMs = 24 + spreadMs * random.uniform();
    return change(run, beatsFrom(ms)).map((beat) => beat + lateMs + 0.3 * random.normal());
  });
}

test('200 programs that chase another: the spread of 20 starts is found within 25%', () => {
  for (let seed = 1; seed <= 200; seed++) {
    const { starts, landsMs, failed } = startsBySound({ pulsesMs: PULSES, onsetsMs: chaser(seed, 3) });
    expect(starts).toHaveLength(20);
    expect(failed).toBe(0);
    // The range of 20 even draws from 3 ms is 2.7 ms on average (order statistics: 3 * 19 / 21).
    expect(landsMs!.spread).toBeLessThan(3 * 1.25);
    expect(landsMs!.spread).toBeGreaterThan(1.5);
    expect(Math.abs(landsMs!.median - 25.5)).toBeLessThan(1.5);
    expect(starts.every(({ stood }) => stood?.hub === BEATS && stood.follower === BEATS)).toBe(true);
  }
});

test('a start that begins a beat late is named, and one that never ran is counted', () => {
  const onsetsMs = chaser(5, 1, (run, beats) => (run === 6 ? beats.slice(1) : run === 11 ? [] : beats));
  const { starts, failed } = startsBySound({ pulsesMs: PULSES, onsetsMs });
  expect(wrongStarts(starts)).toEqual([{ start: 6, later: 1 }]);
  expect(failed).toBe(1);
  expect(starts[11]?.landsMs).toBeNull();
});

test('how far apart they stop: a program that plays on, and one that stops early', () => {
  const onsetsMs = chaser(6, 1, (run, beats) =>
    run === 2
      ? [...beats, beats.at(-1)! + BEAT_MS, beats.at(-1)! + 2 * BEAT_MS]
      : run === 3
        ? beats.slice(0, -1)
        : beats,
  );
  const { starts } = startsBySound({ pulsesMs: PULSES, onsetsMs });
  expect(starts[2]?.stood).toEqual({ hub: 8, follower: 10 });
  expect(starts[3]?.stood).toEqual({ hub: 8, follower: 7 });
  expect(starts[4]?.stood).toEqual({ hub: 8, follower: 8 });
});

test('a beat that the leader plays too softly to be heard doesn’t split its run', () => {
  const pulsesMs = PULSES.filter((_, i) => i % 29 !== 12);
  expect(startsBySound({ pulsesMs, onsetsMs: chaser(7, 1) }).starts).toHaveLength(20);
});

test('one start says what to do', () => {
  const pulsesMs = beatsFrom(1000, 40);
  expect(() => startsBySound({ pulsesMs, onsetsMs: pulsesMs })).toThrow('Only one start was found.');
});
