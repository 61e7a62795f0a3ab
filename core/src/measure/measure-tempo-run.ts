import { quantile } from 'd3-array';
import { TICKS_PER_BEAT } from '../midi/message';
import { measureFollowing, type FollowingReport } from './measure-following';

/** A change of tempo and how a follower took it. */
export interface TempoChange extends Pick<FollowingReport, 'settledMs' | 'strayMs'> {
  /** On the time line of the beats; equal for a step. */
  fromMs: number;
  toMs: number;
  fromBpm: number;
  toBpm: number;
  /** Change of latency for good, ms; plus is later. */
  shiftMs: number;
  /** Clock ticks that shift stands for, if it is close to whole ticks; plus is ticks lost. */
  ticksLost: number;
}

export interface TempoRunReport {
  /** Latency while the tempo stood still, before the first change. */
  before: FollowingReport['before'];
  changes: TempoChange[];
  /** Beats without a hit. */
  missed: number;
}

/** Two beats of a steady tempo differ less: a millisecond at 120 BPM. */
const SAME_TEMPO = 0.002;
/** The beats of a leader that is heard jitter: by so many deviations a change must stand out of it. */
const CLEAR_DEVIATIONS = 5;
/** A quarter of normally distributed values are smaller than this share of their deviation. */
const QUARTER = 0.25;
const SHARE_AT_QUARTER = 0.3186;
/** A beat that isn't heard doubles a gap; its neighbors show that the tempo was the same. */
const SAME_GAP = 0.1;
const MOST_MISSING = 3;
/** Steady beats between two changes; closer ones count as one. */
const STEADY_BEATS = 8;
/** A latency this near to whole ticks, as a share of a tick, has lost or gained them. */
const NEAR_TICKS = 0.2;
const MS_PER_MINUTE = 60_000;

interface Taken {
  pulsesMs: ArrayLike<number>;
  onsetsMs: ArrayLike<number>;
  /** The pulses were heard: they jitter, and one may be missing. */
  bySound?: boolean;
}

/**
 * How a follower takes the tempo changes of a take, wherever they are: the song’s own, turned by hand, or somebody
 * else’s. `pulsesMs`: quarter notes of whoever leads; `onsetsMs`: detected hits. By sound, a change from beat to beat
 * within five deviations of the leader's own jitter isn't found.
 * @throws RangeError if the tempo doesn’t change, or there are fewer than eight steady beats before the first change or
 * after the last.
 */
export function measureTempoRun({ pulsesMs, onsetsMs, bySound = false }: Taken): TempoRunReport {
  const pulses = bySound ? withoutHoles(Array.from(pulsesMs)) : Array.from(pulsesMs);
  const onsets = Array.from(onsetsMs);
  const stretches = changesIn(pulses, bySound ? clearOfJitter(pulses) : SAME_TEMPO);
  const [first] = stretches;
  if (!first) throw new RangeError('The tempo didn’t change. Change it during the take, then hold it for eight beats.');
  if (first.from < STEADY_BEATS)
    throw new RangeError('The tempo changed too soon. Hold it for the first eight beats, then repeat the take.');
  const told = stretches.map(({ from, to }, i) => {
    const begin = stretches[i - 1]?.to ?? 0;
    const end = stretches[i + 1]?.from ?? pulses.length;
    return { from, to, report: followingIn(pulses.slice(begin, end), onsets, at(pulses, from), at(pulses, to)) };
  });
  const { before } = (told[0] as (typeof told)[number]).report;
  return {
    before,
    changes: told.map(({ from, to, report }) => {
      const toBpm = bpmFrom(pulses, to);
      const shiftMs = report.after.medianMs - report.before.medianMs;
      const { settledMs, strayMs } = report;
      const ticks = shiftMs / (MS_PER_MINUTE / toBpm / TICKS_PER_BEAT);
      const near = Math.abs(ticks - Math.round(ticks)) <= NEAR_TICKS;
      return {
        ...{ fromMs: at(pulses, from), toMs: at(pulses, to), fromBpm: bpmBefore(pulses, from), toBpm },
        ...{ settledMs, strayMs, shiftMs, ticksLost: near ? Math.round(ticks) || 0 : 0 },
      };
    }),
    missed: missedIn(pulses, onsets, before.medianMs),
  };
}

/** Pulses at which a change begins, and from which the tempo stands still again. */
interface Stretch {
  from: number;
  to: number;
}

/** Beats that weren't heard are put in between, evenly. */
function withoutHoles(pulses: readonly number[]): number[] {
  const filled = pulses.slice(0, 2);
  for (let i = 2; i < pulses.length; i++) {
    const [beforeMs, holeMs] = [gap(filled, filled.length - 2), gap(pulses, i - 1)];
    const steps = Math.round(holeMs / beforeMs);
    const isLike = (ms: number) => Math.abs(ms / beforeMs - 1) < SAME_GAP;
    const isHole = steps > 1 && steps <= MOST_MISSING + 1 && isLike(holeMs / steps) && isLike(gap(pulses, i));
    for (let step = 1; isHole && step < steps; step++) filled.push(at(pulses, i - 1) + (step * holeMs) / steps);
    filled.push(at(pulses, i));
  }
  return filled;
}

/** From beat to beat, relative to the tempo: less is mere jitter, estimated from the steadier beats. */
function clearOfJitter(pulses: readonly number[]): number {
  const changes = pulses.slice(2).map((_, i) => Math.abs(gap(pulses, i + 1) / gap(pulses, i) - 1));
  return Math.max(SAME_TEMPO, (CLEAR_DEVIATIONS * (quantile(changes, QUARTER) ?? 0)) / SHARE_AT_QUARTER);
}

function changesIn(pulses: readonly number[], sameTempo: number): Stretch[] {
  const found: Stretch[] = [];
  for (let i = 1; i + 1 < pulses.length; i++) {
    if (Math.abs(gap(pulses, i) / gap(pulses, i - 1) - 1) <= sameTempo) continue;
    const last = found.at(-1);
    if (last && i - last.to < STEADY_BEATS) last.to = i;
    else found.push({ from: i, to: i });
  }
  // What changes at the very end can’t be seen to settle.
  const last = found.at(-1);
  if (last && pulses.length - last.to < STEADY_BEATS) found.pop();
  return found;
}

function followingIn(pulses: number[], onsets: readonly number[], fromMs: number, toMs: number): FollowingReport {
  const [beginMs, endMs] = [at(pulses, 0) - gap(pulses, 0) / 2, at(pulses, pulses.length - 1)];
  const afterMs = endMs + gap(pulses, pulses.length - 2) / 2;
  const onsetsMs = onsets.filter((ms) => ms >= beginMs && ms < afterMs);
  return measureFollowing({ pulsesMs: pulses, onsetsMs, fromMs, toMs });
}

/** Beats without a hit within half a beat of where it is usual. */
function missedIn(pulses: readonly number[], onsets: readonly number[], usualMs: number): number {
  return pulses.filter((ms, i) => {
    const halfMs = gap(pulses, Math.min(i, pulses.length - 2)) / 2;
    return !onsets.some((one) => Math.abs(one - ms - usualMs) < halfMs);
  }).length;
}

function at(pulses: readonly number[], i: number): number {
  return pulses[i] as number;
}

/** From this pulse to the next. */
function gap(pulses: readonly number[], i: number): number {
  return at(pulses, i + 1) - at(pulses, i);
}

const bpmBefore = (pulses: readonly number[], i: number) => MS_PER_MINUTE / gap(pulses, i - 1);
const bpmFrom = (pulses: readonly number[], i: number) => MS_PER_MINUTE / gap(pulses, i);
