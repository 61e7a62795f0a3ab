import { median, pairs } from 'd3-array';
import { measureChase, type ChaseReport } from './measure-chase';

/** A pause of this many beats ends a run; a single missed beat doesn't. */
const PAUSE_BEATS = 2.5;
/** Fewer beats are no run. */
const FEWEST_BEATS = 4;
/** A follower may be this much ahead of the leader's first beat. */
const EARLY_MS = 150;
/** Beats for which a follower that plays on after the leader's stop is listened to. */
const PLAYS_ON_BEATS = 8;

/**
 * Repeated starts and stops by sound alone: the leader's pauses tell where it was started. `pulsesMs`: hits of the
 * leader, `onsetsMs`: of the follower; in ms on one time line. `stood` counts beats: more than the leader's if the
 * follower played on.
 * @throws RangeError if the leader was started only once.
 */
export function startsBySound(input: { pulsesMs: ArrayLike<number>; onsetsMs: ArrayLike<number> }): ChaseReport {
  const runs = runsOf(Array.from(input.pulsesMs));
  if (runs.length < 2)
    throw new RangeError(
      'Only one start was found. Start and stop the leader several times, with pauses of at least two seconds.',
    );
  return measureRuns(runs, Array.from(input.onsetsMs));
}

/** Runs of a leader, each its beats, and all hits of a follower, ms. A follower may play on after the leader's stop. */
export function measureRuns(runs: readonly (readonly number[])[], onsets: readonly number[]): ChaseReport {
  const report = measureChase(
    runs.map((pulses, i) => {
      const [startedMs = 0] = pulses;
      const nextMs = (runs[i + 1]?.[0] ?? Infinity) - EARLY_MS;
      return {
        startedMs,
        pulsesMs: [...pulses, ...beyond(pulses).filter((ms) => ms < nextMs - EARLY_MS)],
        onsetsMs: onsets.filter((ms) => ms >= startedMs - EARLY_MS && ms < nextMs),
      };
    }),
  );
  const starts = report.starts.map((start, i) => ({
    ...start,
    stood: start.stood && { hub: runs[i]?.length ?? 0, follower: start.stood.follower },
  }));
  return { ...report, starts };
}

/** Stretches of beats between the pauses. */
function runsOf(pulses: readonly number[]): number[][] {
  const beatMs = median(pairs(pulses), ([one, next]) => next - one) ?? 0;
  const runs: number[][] = [];
  for (const [i, ms] of pulses.entries()) {
    const last = runs.at(-1);
    if (last && ms - (pulses[i - 1] as number) <= PAUSE_BEATS * beatMs) last.push(ms);
    else runs.push([ms]);
  }
  return runs.filter(({ length }) => length >= FEWEST_BEATS);
}

/** Beats at which the leader would have played, had it not been stopped. */
function beyond(pulses: readonly number[]): number[] {
  const [last, before] = [pulses.at(-1), pulses.at(-2)];
  if (last === undefined || before === undefined) return [];
  return Array.from({ length: PLAYS_ON_BEATS }, (_, i) => last + (i + 1) * (last - before));
}
