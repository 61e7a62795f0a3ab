import { ClockFollower, type Response } from '../follow/clock-follower';
import type { MidiMessage } from '../midi/message';
import { seededRandom, type SeededRandom } from '../standin/random';

/** Something that goes wrong with a clock, from a tick of the song on. */
export type Trouble = { atTick: number } & (
  | /** What is sent in this time arrives at its end, in so many pieces; each with the given share lost. */
    { kind: 'heldUp'; lastsMs: number; pieces: number; loss: number }
    /** The sender stands still and goes on later, as if no time had passed. */
  | { kind: 'paused'; lastsMs: number }
  | { kind: 'lost'; ticks: number; share: number }
  | { kind: 'doubled'; ticks: number; share: number }
  /** Two ticks in a row are handed over in the wrong order. */
  | { kind: 'swapped'; ticks: number; share: number }
  | { kind: 'step'; by: number }
  | { kind: 'ramp'; by: number; ticks: number }
  /** The clock that stamps the arrivals is set. */
  | { kind: 'clockJump'; ms: number }
);

/** A clock with a start after some ticks, and what goes wrong with it. */
export interface Adversary {
  bpm: number;
  /** Ticks before the start. */
  before: number;
  jitterMs: number;
  troubles: Trouble[];
  seed: number;
}

export interface Arrival {
  message: MidiMessage;
  atMs: number;
  /** The tick of the song, from 0; null for other messages. */
  tick: number | null;
}

export interface Verdict {
  /** How far a follower that says it is locked is off two beats after the last trouble, ticks beyond the jitter. */
  worst: number;
  /** Share of the ticks after that at which it says that it isn’t sure. */
  unsure: number;
  /** Whether the count of the ticks alone says where the song is. */
  countUnbroken: boolean;
  /** A pause may be taken for as many lost ticks, or the other way round. */
  undecidable: boolean;
}

const TICKS_PER_BEAT = 24;
const FIRST_MS = 1000;
const START_LEAD_MS = 2;
const BEATS = 20;
const UNDECIDABLE_DEVIATIONS = 4;
const LEAST_JITTER_MS = 0.3;
/** A follower is on another tick if it is off by more than half, beyond so many standard deviations of the jitter. */
const WRONG_TICKS = 0.5;
const NOISE_DEVIATIONS = 1.5;
const MAX_UNSURE = 0.02;
const KINDS = ['heldUp', 'paused', 'lost', 'doubled', 'swapped', 'step', 'ramp', 'clockJump'] as const;
const JITTERS_MS = [0, 0.2, 1, 2];

/** A random adversary, the same for the same seed. */
export function adversary(seed: number): Adversary {
  const { uniform } = seededRandom(Math.imul(seed, 0x9e3779b1));
  const between = (low: number, high: number) => low + (high - low) * uniform();
  const one = <Item>(items: readonly Item[]) => items[Math.floor(uniform() * items.length)] as Item;
  const troubleOf = (atTick: number): Trouble => {
    const kind = one(KINDS);
    const share = between(0.02, 0.2);
    const ticks = Math.round(between(4, 96));
    switch (kind) {
      case 'heldUp':
        return { atTick, kind, lastsMs: between(20, 2000), pieces: one([1, 1, 2, 5]), loss: one([0, 0, 0, 0.1, 0.5]) };
      case 'paused':
        return { atTick, kind, lastsMs: between(20, 1500) };
      case 'step':
        return { atTick, kind, by: between(0.8, 1.25) };
      case 'ramp':
        return { atTick, kind, by: between(0.85, 1.18), ticks };
      case 'clockJump':
        return { atTick, kind, ms: between(-200, 200) };
      default:
        return { atTick, kind, ticks, share };
    }
  };
  const bpm = between(50, 220);
  const before = Math.floor(uniform() * 60) * Math.round(uniform());
  const jitterMs = one(JITTERS_MS);
  const count = 1 + Math.floor(3 * uniform() ** 2);
  const times = Array.from({ length: count }, () => Math.floor(between(uniform() < 0.2 ? 0 : 24, 8 * TICKS_PER_BEAT)));
  return { bpm, before, jitterMs, troubles: times.sort((a, b) => a - b).map(troubleOf), seed };
}

interface Played {
  arrivals: Arrival[];
  /** Ticks by their time, had nothing been in the way. */
  sentMs: Map<number, number>;
  /** The last trouble is over, ms. */
  calmMs: number;
  countUnbroken: boolean;
}

/** What arrives, in order. */
export function playAdversary({ bpm, before, jitterMs, troubles, seed }: Adversary): Played {
  const random = seededRandom(Math.imul(seed, 0x85ebca6b));
  const sentMs = sendTimes(bpm, before, troubles);
  const arrivals: Arrival[] = [];
  const heldFrom = (trouble: Trouble) => sentMs.get(trouble.atTick) ?? FIRST_MS;
  const arrives = (ms: number) => {
    let atMs = ms;
    for (const trouble of troubles) {
      if (trouble.kind !== 'heldUp') continue;
      const [fromMs, pieceMs] = [heldFrom(trouble), trouble.lastsMs / trouble.pieces];
      if (atMs >= fromMs && atMs < fromMs + trouble.lastsMs)
        atMs = fromMs + Math.ceil((atMs - fromMs + 1e-9) / pieceMs) * pieceMs;
    }
    return atMs;
  };
  let lastMs = 0;
  let countUnbroken = true;
  for (const [tick, ms] of sentMs) {
    const push = (message: MidiMessage, atMs: number, number: number | null) => {
      lastMs = Math.max(lastMs, atMs);
      arrivals.push({ message, atMs: lastMs, tick: number });
    };
    if (tick === 0) push({ kind: 'start' }, arrives(ms - START_LEAD_MS), null);
    const meets = hits(random, troubles, tick, ms, heldFrom);
    if (meets.lost) {
      if (tick >= 0) countUnbroken = false;
      continue;
    }
    push({ kind: 'clock' }, arrives(ms) + Math.abs(jitterMs * random.normal()), tick);
    if (!meets.doubled) continue;
    if (tick >= 0) countUnbroken = false;
    push({ kind: 'clock' }, lastMs, tick);
  }
  swap(arrivals, random, troubles);
  jump(arrivals, troubles, heldFrom);
  return { arrivals, sentMs, calmMs: calmAt(troubles, sentMs, heldFrom), countUnbroken };
}

function sendTimes(bpm: number, before: number, troubles: readonly Trouble[]): Map<number, number> {
  const sentMs = new Map<number, number>();
  let ms = FIRST_MS;
  for (let tick = -before; tick < BEATS * TICKS_PER_BEAT; tick++) {
    for (const trouble of troubles) if (trouble.kind === 'paused' && trouble.atTick === tick) ms += trouble.lastsMs;
    sentMs.set(tick, ms);
    let tempo = bpm;
    for (const trouble of troubles) {
      if (trouble.kind === 'step' && tick >= trouble.atTick) tempo *= trouble.by;
      if (trouble.kind === 'ramp')
        tempo *= trouble.by ** Math.max(0, Math.min(1, (tick - trouble.atTick) / trouble.ticks));
    }
    ms += 60_000 / tempo / TICKS_PER_BEAT;
  }
  return sentMs;
}

function hits(
  { uniform }: SeededRandom,
  troubles: readonly Trouble[],
  tick: number,
  ms: number,
  heldFrom: (trouble: Trouble) => number,
): { lost: boolean; doubled: boolean } {
  let [lost, doubled] = [false, false];
  for (const trouble of troubles) {
    const { kind, atTick } = trouble;
    if (kind === 'heldUp') {
      const sinceMs = ms - heldFrom(trouble);
      if (sinceMs >= 0 && sinceMs < trouble.lastsMs && uniform() < trouble.loss) lost = true;
    } else if ((kind === 'lost' || kind === 'doubled') && tick >= atTick && tick < atTick + trouble.ticks)
      if (uniform() < trouble.share) [lost, doubled] = [lost || kind === 'lost', doubled || kind === 'doubled'];
  }
  return { lost, doubled };
}

function swap(arrivals: Arrival[], { uniform }: SeededRandom, troubles: readonly Trouble[]): void {
  for (const trouble of troubles)
    if (trouble.kind === 'swapped')
      for (let i = 1; i < arrivals.length; i++) {
        const [one, next] = [arrivals[i - 1], arrivals[i]];
        const inside = one?.tick != null && one.tick >= trouble.atTick && one.tick < trouble.atTick + trouble.ticks;
        if (!inside || next?.tick == null || uniform() >= trouble.share) continue;
        [arrivals[i - 1], arrivals[i]] = [next, one];
        i++;
      }
}

function jump(arrivals: Arrival[], troubles: readonly Trouble[], heldFrom: (trouble: Trouble) => number): void {
  for (const trouble of troubles)
    if (trouble.kind === 'clockJump')
      for (const arrival of arrivals) if (arrival.atMs >= heldFrom(trouble)) arrival.atMs += trouble.ms;
}

function calmAt(
  troubles: readonly Trouble[],
  sentMs: ReadonlyMap<number, number>,
  heldFrom: (trouble: Trouble) => number,
): number {
  const ends = troubles.map((trouble) => {
    if (trouble.kind === 'heldUp') return heldFrom(trouble) + trouble.lastsMs;
    const ticks = 'ticks' in trouble ? trouble.ticks : 0;
    return sentMs.get(trouble.atTick + ticks) ?? Infinity;
  });
  return Math.max(...ends, sentMs.get(0) ?? 0);
}

/** Something that follows a clock: a follower alone, one behind a network session, or a hub. */
export interface Followed {
  push(message: MidiMessage, atMs: number): void;
  /** Where the song is at a time of the sender; null if that isn’t sure. */
  beatAt(ms: number): number | null;
}

/** @throws Error if it ever gives a position or tempo that isn’t a number. */
export function followerAlone(response: Response): Followed {
  const one = new ClockFollower({ response });
  return {
    push: (message, atMs) => one.push(message, atMs),
    beatAt: (ms) => {
      const { beat, bpm, state } = one.at(ms);
      if (!Number.isFinite(beat ?? 0) || !Number.isFinite(bpm ?? 1) || !((bpm ?? 1) > 0))
        throw new Error(`At ${ms} ms: beat ${beat}, tempo ${bpm}`);
      return state === 'locked' ? beat : null;
    },
  };
}

/** Plays an adversary to whatever follows; `settleMs`: how long after the two beats it may take. */
export function verdictOn(enemy: Adversary, followed: Followed, settleMs = 0): Verdict {
  const { arrivals, sentMs, calmMs, countUnbroken } = playAdversary(enemy);
  const last = [...sentMs.keys()].at(-1) ?? 0;
  const intervalMs = (sentMs.get(last) ?? 0) - (sentMs.get(last - 1) ?? 0);
  const judgedMs = calmMs + 2 * TICKS_PER_BEAT * intervalMs + settleMs;
  const jumpMs = enemy.troubles.reduce((sum, trouble) => sum + (trouble.kind === 'clockJump' ? trouble.ms : 0), 0);
  const noise = (NOISE_DEVIATIONS * enemy.jitterMs) / intervalMs;
  let [worst, judged, unsure] = [0, 0, 0];
  for (const { message, atMs, tick } of arrivals) {
    followed.push(message, atMs);
    const beat = followed.beatAt(atMs);
    const dueMs = tick === null ? undefined : sentMs.get(tick);
    if (tick === null || dueMs === undefined || dueMs < judgedMs) continue;
    judged++;
    if (beat === null) unsure++;
    else worst = Math.max(worst, Math.abs(beat * TICKS_PER_BEAT - tick - (atMs - jumpMs - dueMs) / intervalMs) - noise);
  }
  return { worst, unsure: unsure / Math.max(1, judged), countUnbroken, undecidable: isUndecidable(enemy, sentMs) };
}

/**
 * Wrong is a follower that is sure and on another tick. One that isn’t sure although no tick was lost or doubled says too
 * little, but nothing wrong.
 */
export function judge({ worst, unsure, countUnbroken, undecidable }: Verdict): 'right' | 'wrong' | 'needlessly unsure' {
  if (undecidable) return 'right';
  if (worst > WRONG_TICKS) return 'wrong';
  return countUnbroken && unsure > MAX_UNSURE ? 'needlessly unsure' : 'right';
}

/**
 * A pause of whole intervals, as far as the interval is known, looks like as many lost ticks; so does any pause while something else goes wrong, and
 * nobody can know what happens beside while nothing arrives.
 */
function isUndecidable({ troubles, jitterMs, before }: Adversary, sentMs: ReadonlyMap<number, number>): boolean {
  const lasts = (trouble: Trouble): [number, number] => {
    const { atTick } = trouble;
    if (trouble.kind !== 'heldUp') return [atTick, atTick + ('ticks' in trouble ? trouble.ticks : 0)];
    const untilMs = (sentMs.get(atTick) ?? 0) + trouble.lastsMs;
    const inside = [...sentMs].filter(([tick, ms]) => tick >= atTick && ms < untilMs);
    return [atTick, atTick + inside.length];
  };
  const changes = troubles.flatMap((trouble) =>
    trouble.kind === 'step' ? [trouble.atTick] : trouble.kind === 'ramp' ? [trouble.atTick + trouble.ticks] : [],
  );
  return troubles.some((trouble) => {
    const [from, until] = lasts(trouble);
    const besides = troubles.some((other) => {
      const [otherFrom, otherUntil] = lasts(other);
      return other !== trouble && otherFrom <= until + 2 * TICKS_PER_BEAT && otherUntil >= from - TICKS_PER_BEAT;
    });
    // What is lost from the very beginning is never missed.
    if (trouble.kind === 'heldUp') return besides || (trouble.loss > 0 && from < TICKS_PER_BEAT);
    if (trouble.kind !== 'paused' && trouble.kind !== 'clockJump') return false;
    const intervalMs = (sentMs.get(from + 2) ?? 0) - (sentMs.get(from + 1) ?? 0);
    const ticks = (trouble.kind === 'paused' ? trouble.lastsMs : trouble.ms) / intervalMs;
    const offMs = Math.abs(ticks - Math.round(ticks)) * intervalMs;
    // The Cramér-Rao bound for an interval that is known from the ticks before it, at the same tempo.
    const known = from - Math.max(-before, ...changes.filter((tick) => tick <= from));
    const phaseMs = jitterMs * Math.hypot(1, ticks * Math.sqrt(12 / Math.max(1, known ** 3 - known)));
    return besides || offMs < UNDECIDABLE_DEVIATIONS * Math.max(phaseMs, LEAST_JITTER_MS);
  });
}
