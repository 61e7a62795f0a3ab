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
/** Steady beats between two changes; closer ones count as one. */
const STEADY_BEATS = 8;
/** A latency this near to whole ticks, as a share of a tick, has lost or gained them. */
const NEAR_TICKS = 0.2;
const MS_PER_MINUTE = 60_000;

/**
 * How a follower takes the tempo changes of a take, wherever they are: the song’s own, turned by hand, or somebody
 * else’s. `pulsesMs`: quarter notes of whoever leads; `onsetsMs`: detected hits.
 * @throws RangeError if the tempo doesn’t change, or there are fewer than eight steady beats before the first change or
 * after the last.
 */
export function measureTempoRun(input: { pulsesMs: ArrayLike<number>; onsetsMs: ArrayLike<number> }): TempoRunReport {
  const pulses = Array.from(input.pulsesMs);
  const onsets = Array.from(input.onsetsMs);
  const stretches = changesIn(pulses);
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

function changesIn(pulses: readonly number[]): Stretch[] {
  const found: Stretch[] = [];
  for (let i = 1; i + 1 < pulses.length; i++) {
    if (Math.abs(gap(pulses, i) / gap(pulses, i - 1) - 1) <= SAME_TEMPO) continue;
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
