import { mean, median, pairs } from 'd3-array';
import { TICKS_PER_BEAT, type MidiMessage, TICKS_PER_SIXTEENTH } from '../midi/message';
import { LineWindow, type FittedLine } from './line-window';
import type { FollowState } from './follow-state';

export type Response = 'steady' | 'quick';

export interface ClockReading {
  state: FollowState;
  bpm: number | null;
  /** Quarter notes from the start of the song; null before any clock. */
  beat: number | null;
  rolling: boolean;
  /** Missing and extra ticks since the clock began. */
  missing: number;
  extra: number;
}

interface ResponseFacts {
  /** Window in ticks while the tempo is steady; longer is smoother. */
  readonly window: number;
  /** Consecutive outliers that count as a tempo change. */
  readonly changeTicks: number;
  /** Standard deviations that count as another tempo. */
  readonly deviations: number;
  readonly lockTicks: number;
}

const RESPONSES: Readonly<Record<Response, ResponseFacts>> = {
  steady: { window: 32 * TICKS_PER_BEAT, changeTicks: 4, deviations: 5.5, lockTicks: TICKS_PER_BEAT },
  quick: { window: 4 * TICKS_PER_BEAT, changeTicks: 3, deviations: 4.5, lockTicks: TICKS_PER_BEAT / 2 },
};

/** Lengths at the end of the window, in ticks, that are tested against the rest. */
const LOOKS = [12, 24, 48, 96];
const SHORTEST_LOOK = 6;
/** Enough for the longest look, with some ticks that came twice. */
const MAX_ARRIVALS = 128;
const MIN_BEFORE = 8;
/** Prior for the clock's jitter: pseudo-count and standard deviation, ms. */
const PRIOR_TICKS = 4;
const PRIOR_JITTER_MS = 1;
/** A tick beyond this many deviations, and beyond this distance, is an outlier and ignored for the tempo. */
const OUTLIER_DEVIATIONS = 5;
const OUTLIER_MS = 2;
/** Ticks at the previous tempo to assume before a start. */
const KEPT_AT_BEGINNING = 12;
/**
 * Consecutive intervals that differ from the tempo by more than this share, and agree with each other, are another
 * tempo.
 */
const OTHER_TEMPO = 0.12;
const AGREE = 0.15;
const WEDGE_TICKS = TICKS_PER_BEAT;
/** Looked for every so many ticks. */
const WEDGE_LOOK = TICKS_PER_BEAT / 4;
const WEDGE_SHARE = 0.18;
const AGREE_DEVIATIONS = 3;
const SILENT_INTERVALS = 3;
const MIN_SILENCE_MS = 60;
const FREEWHEEL_MS = 2000;
const MS_PER_MINUTE = 60_000;

/** Clock comes at 10 to 600 BPM; whatever says otherwise is a hold-up. */
const MIN_INTERVAL_MS = 60_000 / 600 / TICKS_PER_BEAT;
const MAX_INTERVAL_MS = 60_000 / 10 / TICKS_PER_BEAT;
/** After a hold-up, ticks closer than this share of the interval were waiting, and tell nothing of the tempo. */
const BUNCHED = 0.5;
const LEAST_BUNCHED = 0.1;
/** A gap of more intervals than this, beyond jitter, may be a hold-up. */
const HELD_UP = 2;
const PAIR_DEVIATIONS = 5 * Math.SQRT2;
/** Ticks after a start until their time says more about their number than their count. */
const TICKS_TO_ANCHOR = 8;
/** Gaps that, if they agree, are another tempo right after a start. */
const AGREEING_GAPS = 5;
const ANOTHER = 1.3;
/** Ticks in a row on the line that outweigh a count that says otherwise. */
const TICKS_TO_BELIEVE = 12;
const BELIEF_DEVIATIONS = 5 * Math.sqrt(12);
/** How far a tempo change may miss the ticks before and after it, as a share of the interval. */
const SLACK = 0.3;

interface Arrival {
  readonly ms: number;
  readonly number: number;
  readonly extra: boolean;
  readonly missing: number;
}

/**
 * Estimates tempo, position and state from jittery, duplicate or missing ticks. Least squares over a window that grows
 * while ticks fit and restarts at the change point when they don't: maximum smoothing for a steady clock, immediate
 * response to a change.
 *
 * A tick can be late, but never early. What a hold-up kept back comes in a bunch: such ticks are counted, but say nothing
 * of the tempo. Where time and count disagree, a steady tempo speaks for the time (ticks were lost), another tempo for
 * the count; where neither fits, the position is unsure until the next start or song position.
 */
export class ClockFollower {
  readonly #facts: ResponseFacts;
  readonly #freewheelMs: number;
  /** Tick numbers, missing ones included, against arrival times; outliers don't count. */
  readonly #ticks: LineWindow;
  /** The last tick, however it was classified. */
  #last: { number: number; ms: number } | null = null;
  /** Recent arrivals that weren't bunched. */
  #arrivals: Arrival[] = [];
  #line: FittedLine | null = null;
  /** The interval that was known before the phase was lost, ms. */
  #knownIntervalMs: number | null = null;
  /** Timely ticks since the phase was last set by a single tick. */
  #anchoredFor = Infinity;
  /** Ticks that the last gap was too long by; ticks that come in a bunch now are these. */
  #owed = 0;
  /** The gaps between the last ticks, while the phase is being set. */
  #gaps: number[] = [];
  #heldUp = false;
  /**
   * The last tick whose number is beyond doubt, the arrivals since, and how many of the latest were on the line, but not
   * where the count says.
   */
  #certain: { number: number; ms: number } | null = null;
  #sinceCertain = 0;
  #onLine = 0;
  /** Ticks were lost while the tempo changed. */
  #unsure = false;
  #heard = 0;
  #missing = 0;
  #extra = 0;
  #rolling = false;
  /** Start was received, but not its first tick. */
  #begins = false;
  /** Number of the tick at the start of the song. */
  #songTick = 0;
  /** Song position of the next tick, while stopped. */
  #standsAt = 0;

  /** `freewheelMs`: how long a rolling clock may be silent before it counts as lost. */
  constructor({ response = 'steady', freewheelMs = FREEWHEEL_MS }: { response?: Response; freewheelMs?: number } = {}) {
    this.#facts = RESPONSES[response];
    this.#ticks = new LineWindow(this.#facts.window);
    this.#freewheelMs = freewheelMs;
  }

  push(message: MidiMessage, atMs: number): void {
    switch (message.kind) {
      case 'clock':
        this.#tick(atMs);
        return;
      case 'start':
        this.#standsAt = 0;
        this.#unsure = false;
        this.#roll();
        return;
      case 'continue':
        if (!this.#rolling) this.#roll();
        return;
      case 'stop':
        if (this.#rolling) this.#standsAt = this.#nextNumber() - this.#songTick;
        this.#rolling = this.#begins = false;
        return;
      case 'songPosition':
        if (!this.#rolling || this.#unsure) this.#locate(message.sixteenths * TICKS_PER_SIXTEENTH);
    }
  }

  /** `heardUntilMs`: what arrived later isn't known yet, because this machine stood still. */
  at(nowMs: number, heardUntilMs = nowMs): ClockReading {
    const state = this.#state(heardUntilMs);
    const line = this.#line;
    return {
      state,
      bpm: line && MS_PER_MINUTE / (line.slope * TICKS_PER_BEAT),
      beat: this.#heard === 0 ? null : this.#songTicksAt(nowMs, state) / TICKS_PER_BEAT,
      rolling: this.#rolling && state !== 'lost' && state !== 'silent',
      missing: this.#missing,
      extra: this.#extra,
    };
  }

  /** A position while rolling is that of the next tick. */
  #locate(ticks: number): void {
    this.#unsure = false;
    if (this.#rolling) this.#songTick = this.#nextNumber() - ticks;
    else this.#standsAt = ticks;
  }

  #roll(): void {
    this.#rolling = this.#begins = true;
    this.#songTick = this.#nextNumber() - this.#standsAt;
  }

  #nextNumber(): number {
    return (this.#last?.number ?? -1) + 1;
  }

  #songTicksAt(nowMs: number, state: FollowState): number {
    const last = this.#last;
    // Between start and its first tick, the song stays at its start position.
    if (!this.#rolling || !last || this.#begins) return this.#standsAt;
    const untilMs = state === 'lost' ? last.ms + this.#freewheelMs : nowMs;
    return (this.#line?.where(untilMs) ?? last.number) - this.#songTick;
  }

  #state(nowMs: number): FollowState {
    const last = this.#last;
    if (!last) return 'silent';
    const silentMs = nowMs - last.ms;
    const longMs = Math.max(MIN_SILENCE_MS, SILENT_INTERVALS * (this.#line?.slope ?? 0));
    const settles = this.#unsure || !this.#line || this.#heard < this.#facts.lockTicks;
    if (silentMs > longMs) {
      if (!this.#rolling || settles) return silentMs > this.#freewheelMs ? 'silent' : 'settling';
      return silentMs > this.#freewheelMs ? 'lost' : 'freewheeling';
    }
    return settles ? 'settling' : 'locked';
  }

  #tick(stampMs: number): void {
    const last = this.#last;
    // Stamps may come out of order.
    const atMs = Math.max(stampMs, last?.ms ?? -Infinity);
    if (!Number.isFinite(atMs)) return;
    // After a long silence only the position is still known, not the tempo.
    if (last && atMs - last.ms > this.#freewheelMs) this.#forget();
    this.#heard++;
    this.#sinceCertain++;
    if (this.#begins) this.#beginAt(atMs);
    else if (this.#anchoredFor < TICKS_TO_ANCHOR) this.#anchor(atMs);
    else this.#take(atMs);
    this.#fit();
  }

  #fit(): void {
    if (this.#anchoredFor >= TICKS_TO_ANCHOR) {
      const [change] = this.#arrivals.slice(-this.#facts.changeTicks - 1);
      const [longAgo] = this.#arrivals.slice(-WEDGE_TICKS);
      if (change && this.#goesAtAnotherTempo()) this.#countAnew(change.ms);
      else if (longAgo && this.#heard % WEDGE_LOOK === 0 && this.#isWedged()) this.#countAnew(longAgo.ms);
      else {
        const turned = this.#turned();
        if (turned !== null) this.#countAnew(this.#ticks.points.at(-turned)?.y ?? -Infinity);
      }
    }
    const line = this.#ticks.line();
    if (!line) this.#line = null;
    else if (line.slope > MIN_INTERVAL_MS && line.slope < MAX_INTERVAL_MS) this.#line = line;
  }

  /** Its position is known by the time; by the count, if what was held up comes now. The tempo is known until it differs. */
  #forget(): void {
    this.#knownIntervalMs = this.#line?.slope ?? this.#knownIntervalMs;
    this.#ticks.keepLast(0);
    this.#arrivals = [];
    this.#line = null;
    this.#anchoredFor = this.#owed = this.#heard = 0;
    this.#gaps = [];
    this.#heldUp = false;
  }

  /**
   * The first tick after start or continue is the song's first, whatever was due. Many machines restart their tick
   * phase there: keep the tempo and forget the rest.
   */
  #beginAt(atMs: number): void {
    this.#begins = false;
    const next = this.#nextNumber();
    const line = this.#line;
    this.#certain = { number: next, ms: atMs };
    this.#sinceCertain = this.#owed = 0;
    this.#gaps = [];
    this.#heldUp = false;
    this.#knownIntervalMs = line?.slope ?? this.#knownIntervalMs;
    if (line && line.count >= MIN_BEFORE && !isOutlier(line, next, atMs)) {
      this.#last = { number: next, ms: atMs };
      this.#arrivals.push({ ms: atMs, number: next, extra: false, missing: 0 });
      this.#ticks.push(next, atMs);
    } else this.#anchorAt(next, atMs);
  }

  /** A single tick sets the phase, at the tempo known before, until it turns out to have been held up. */
  #anchorAt(number: number, atMs: number): void {
    this.#last = { number, ms: atMs };
    this.#arrivals = [{ ms: atMs, number, extra: false, missing: 0 }];
    this.#ticks.keepLast(0);
    const intervalMs = this.#knownIntervalMs;
    if (intervalMs !== null)
      for (let i = KEPT_AT_BEGINNING; i > 0; i--) this.#ticks.push(number - i, atMs - i * intervalMs);
    this.#ticks.push(number, atMs);
    this.#anchoredFor = 0;
  }

  /** Right after a start, ticks are numbered by their count; what a hold-up kept back gives no phase. */
  #anchor(atMs: number): void {
    const last = this.#last as { number: number; ms: number };
    const intervalMs = this.#knownIntervalMs ?? this.#line?.slope ?? null;
    const gapMs = atMs - last.ms;
    this.#gaps = [...this.#gaps.slice(1 - AGREEING_GAPS), gapMs];
    if (intervalMs !== null && this.#gapsAgreeOnAnother(intervalMs)) {
      this.#knownIntervalMs = mean(this.#gaps) ?? intervalMs;
      this.#missing -= this.#owed;
      this.#anchorAt(last.number + 1 - this.#owed, atMs);
      this.#owed = 0;
      return;
    }
    if (gapMs < (intervalMs === null ? MIN_INTERVAL_MS : BUNCHED * intervalMs)) {
      this.#ticks.keepLast(0);
      this.#line = null;
      this.#arrivals = [];
      this.#last = { number: last.number + 1 - this.#owed, ms: atMs };
      this.#missing -= this.#owed;
      this.#owed = this.#anchoredFor = 0;
      return;
    }
    const late = intervalMs !== null && gapMs > (1 + BUNCHED) * intervalMs;
    this.#owed = late ? Math.round(gapMs / intervalMs) - 1 : 0;
    if (late) this.#knownIntervalMs = intervalMs;
    const number = last.number + 1 + this.#owed;
    this.#missing += this.#owed;
    if (this.#ticks.length === 0 || this.#owed > 0) this.#anchorAt(number, atMs);
    else {
      this.#last = { number, ms: atMs };
      this.#arrivals = [...this.#arrivals.slice(1 - MAX_ARRIVALS), { ms: atMs, number, extra: false, missing: 0 }];
      this.#ticks.push(number, atMs);
      this.#anchoredFor++;
    }
  }

  /** A start at another tempo than before: all gaps say so, and none is as short as those of a bunch. */
  #gapsAgreeOnAnother(intervalMs: number): boolean {
    const few = this.#owed > 0 ? this.#gaps.slice(-2) : this.#gaps;
    const [least, most] = [Math.min(...few), Math.max(...few)];
    const another = most < BUNCHED * intervalMs || least > ANOTHER * intervalMs;
    const agree = (few.length === AGREEING_GAPS || this.#owed > 0) && most < 1.25 * least;
    return few.length > 1 && another && agree && least > MIN_INTERVAL_MS;
  }

  /** Assigns the tick to the nearest expected one; a second tick for the same number is a duplicate. */
  #take(atMs: number): void {
    const next = this.#nextNumber();
    const wasHeldUp = this.#heldUp;
    if (this.#waits(atMs)) {
      this.#last = { number: next, ms: atMs };
      return;
    }
    const number = Math.max(next - 1, this.#nearestNumber(atMs, next, wasHeldUp));
    const arrival = { ms: atMs, number, extra: number < next, missing: Math.max(0, number - next) };
    this.#arrivals = [...this.#arrivals.slice(1 - MAX_ARRIVALS), arrival];
    this.#count(arrival, 1);
    this.#last = { number, ms: atMs };
    if (arrival.extra) return;
    const fits = !this.#line || !isOutlier(this.#line, number, atMs);
    this.#ticks.push(number, atMs, fits);
    this.#doubt(number, atMs, fits);
  }

  /** Whether a hold-up goes on: the tick was kept back, so only its count is known. */
  #waits(atMs: number): boolean {
    const [line, last] = [this.#line, this.#last];
    if (!line || !last) return last !== null && atMs - last.ms < MIN_INTERVAL_MS;
    const gapMs = atMs - last.ms;
    const pairMs = PAIR_DEVIATIONS * jitterOf(line);
    const late = gapMs > HELD_UP * line.slope + pairMs;
    const arrival = { ms: atMs, number: last.number + 1, extra: false, missing: 0 };
    if (late) {
      // Late again and again, it is a slower tempo.
      this.#arrivals = this.#heldUp ? [...this.#arrivals, arrival] : [arrival];
      this.#heldUp = true;
      return true;
    }
    if (!this.#heldUp) return false;
    const bunchedMs = Math.min(BUNCHED * line.slope, Math.max(LEAST_BUNCHED * line.slope, line.slope - pairMs));
    if (gapMs < bunchedMs) {
      this.#arrivals = [];
      return true;
    }
    // Over if it is on the line again, or if enough ticks have come at a tempo of their own.
    const nearest = Math.round(line.where(atMs));
    const back = nearest > last.number - 1 && !isOutlier(line, nearest, atMs);
    if (back || this.#arrivals.length > this.#facts.changeTicks) this.#heldUp = false;
    if (!this.#heldUp) return false;
    this.#arrivals.push(arrival);
    return true;
  }

  /** Keeps the last tick whose number is beyond doubt: count and time agree, or time has been right for long. */
  #doubt(number: number, ms: number, fits: boolean): void {
    const agree = this.#certain === null || number === this.#certain.number + this.#sinceCertain;
    this.#onLine = fits && !agree ? this.#onLine + 1 : 0;
    if (!fits || !(agree || this.#onLine >= this.#ticksToBelieve(number))) return;
    this.#certain = { number, ms };
    this.#sinceCertain = this.#onLine = 0;
  }

  /**
   * How many ticks on the line outweigh a count that says otherwise: enough to tell apart the tempo that would explain
   * the count, whose error falls with the power of 3/2 of their number.
   */
  #ticksToBelieve(number: number): number {
    const line = this.#line;
    if (!line || !this.#certain) return TICKS_TO_BELIEVE;
    const counted = this.#certain.number + this.#sinceCertain;
    const slopeMs = (line.slope * Math.abs(counted - number)) / Math.max(1, this.#sinceCertain - this.#onLine);
    return Math.max(TICKS_TO_BELIEVE, ((BELIEF_DEVIATIONS * jitterOf(line)) / slopeMs) ** (2 / 3));
  }

  /** After a hold-up the time alone says how many were lost. */
  #nearestNumber(atMs: number, next: number, afterHoldUp: boolean): number {
    const [line, last] = [this.#line, this.#last];
    if (!line || !last) return next;
    const intervals = (atMs - last.ms) / line.slope;
    // With only a few ticks the line is still uncertain; accept any plausible interval as the next tick.
    if (line.count < MIN_BEFORE && intervals > 0.3 && intervals < 2.5) return next;
    const nearest = Math.round(line.where(atMs));
    const counted = this.#certain && this.#certain.number + this.#sinceCertain;
    if (afterHoldUp || nearest === counted) return nearest;
    // A lost tick leaves a gap, and one that comes twice leaves none; otherwise it is the tempo that has changed.
    if (nearest > next) return intervals > 1.5 ? nearest : next;
    return nearest < next && intervals < 0.5 ? nearest : next;
  }

  #count({ extra, missing }: Arrival, sign: 1 | -1): void {
    this.#extra += extra ? sign : 0;
    this.#missing += sign * missing;
  }

  /** The last intervals agree with each other but not with the tempo: a new tempo, not missing or duplicate ticks. */
  #goesAtAnotherTempo(): boolean {
    const { changeTicks, deviations } = this.#facts;
    const intervals = pairs(this.#arrivals.slice(-changeTicks - 1), (a, b) => b.ms - a.ms);
    const line = this.#line;
    if (!line || intervals.length < changeTicks) return false;
    const interval = mean(intervals) ?? 0;
    const jitterMs = jitterOf(line);
    const agree = Math.max(AGREE * interval, AGREE_DEVIATIONS * Math.SQRT2 * jitterMs);
    const chance = jitterMs * Math.sqrt(2 / changeTicks ** 2 + line.slopeVariance);
    const far = Math.max(OTHER_TEMPO * line.slope, deviations * chance);
    return intervals.every((ms) => Math.abs(ms - interval) < agree) && Math.abs(interval - line.slope) > far;
  }

  /**
   * Most intervals for a whole beat differ from the tempo. Ticks lost in a pattern can look like another tempo, and what
   * comes then can fit that one in a pattern of its own.
   */
  #isWedged(): boolean {
    const recent = this.#arrivals.slice(-WEDGE_TICKS);
    const usual = median(pairs(recent, (a, b) => b.ms - a.ms)) ?? 0;
    return recent.length === WEDGE_TICKS && this.#line !== null && Math.abs(usual / this.#line.slope - 1) > WEDGE_SHARE;
  }

  /** The window goes on from the arrivals since a time alone: from there on there is another tempo. */
  #countAnew(fromMs: number): void {
    const stamps = this.#arrivals.filter(({ ms }) => ms >= fromMs).map(({ ms }) => ms);
    const before = this.#line;
    const certain = this.#certain;
    // The first interval may still belong to the old tempo.
    const [firstInterval = 0, ...others] = pairs(stamps, (a, b) => b - a);
    const newInterval = median(others) ?? firstInterval;
    const old = Math.abs(firstInterval - (before?.slope ?? 0)) < Math.abs(firstInterval - newInterval);
    const numbers = numbered(stamps, newInterval, before?.slope ?? newInterval);
    const after = new LineWindow(stamps.length);
    numbers.forEach((number, i) => after.push(number, stamps[i] ?? 0, i > 0 || !old));
    const line = after.line();
    const [firstMs = 0, lastOne = 0] = [stamps[0], numbers.at(-1)];
    const since = this.#sinceCertain - (stamps.length - 1);
    const counted = certain ? certain.number + since : this.#nextNumber() - stamps.length;
    const timed = before ? Math.round(before.where(firstMs)) : counted;
    const first =
      line && before && certain ? this.#likelier(counted, timed, { before, after: line, lastOne }) : counted;
    this.#ticks.keepLast(0);
    numbers.forEach((number, i) => this.#ticks.push(first + number, stamps[i] ?? 0, i > 0 || !old));
    this.#last = { number: first + lastOne, ms: this.#last?.ms ?? 0 };
    this.#recount(stamps, first);
    this.#heldUp = false;
  }

  /** The number of the first tick after a tempo change: as counted, or as timed; it may stay unsure. */
  #likelier(
    counted: number,
    timed: number,
    { before, after, lastOne }: { before: FittedLine; after: FittedLine; lastOne: number },
  ): number {
    const certain = this.#certain?.number ?? counted;
    const more = after.slope - before.slope;
    const slopeError = jitterOf(before) * Math.sqrt(before.slopeVariance + after.slopeVariance);
    const tickMs = Math.max(before.slope, after.slope);
    // Both lines meet between the last certain tick and now, wherever in between the tempo changed.
    const meets = (first: number) => {
      const offMs = after.at(lastOne) - before.at(first + lastOne);
      const across = Math.max(0, first + lastOne - certain);
      const ends = [0, across * more];
      const slackMs = SLACK * tickMs + 2 * jitterOf(before) + 2 * across * slopeError;
      return offMs > Math.min(...ends) - slackMs && offMs < Math.max(...ends) + slackMs;
    };
    if (counted === timed || meets(counted)) return counted;
    if (meets(timed)) return timed;
    this.#unsure = true;
    return counted;
  }

  /** Ticks that were taken for missing or extra weren't. */
  #recount(stamps: readonly number[], first: number): void {
    const from = this.#arrivals.length - stamps.length;
    for (const arrival of this.#arrivals.slice(from)) this.#count(arrival, -1);
    this.#arrivals = stamps.map((ms, i) => ({ ms, number: first + i, extra: false, missing: 0 }));
  }

  /** A smaller change: the last ticks deviate significantly from the line through those before. Returns how many. */
  #turned(): number | null {
    if (this.#ticks.outliersAmong(SHORTEST_LOOK) > SHORTEST_LOOK / 2) return SHORTEST_LOOK;
    // Test the shortest length on every tick, the longer ones in turn.
    for (const look of [SHORTEST_LOOK, LOOKS[this.#heard % LOOKS.length] ?? SHORTEST_LOOK]) {
      const line = this.#ticks.line(look);
      if (!line || line.count < MIN_BEFORE) continue;
      const { off, middle, count } = this.#ticks.offOf(line, look);
      const chance = jitterOf(line) * Math.sqrt(1 / count + line.leverage(middle));
      if (Math.abs(off) > this.#facts.deviations * chance) return look;
    }
    return null;
  }
}

/**
 * Numbers for ticks at an interval, from 0: one each, but for those that were lost or doubled in between, at this interval
 * and at the one before.
 */
function numbered(stamps: readonly number[], intervalMs: number, beforeMs: number): number[] {
  const [shorterMs, longerMs] = [Math.min(intervalMs, beforeMs), Math.max(intervalMs, beforeMs)];
  const numbers: number[] = [];
  let phaseMs = 0;
  stamps.forEach((ms, i) => {
    const last = numbers.at(-1) ?? -1;
    const gapMs = ms - (stamps[i - 1] ?? ms);
    const nearest = Math.round((ms - phaseMs) / intervalMs);
    const [lost, doubled] = [
      gapMs > 1.5 * longerMs && nearest > last + 1,
      i > 0 && gapMs < 0.5 * shorterMs && nearest <= last,
    ];
    const number = lost ? nearest : doubled ? last : last + 1;
    numbers.push(number);
    // The phase is the mean of those before.
    phaseMs += (ms - number * intervalMs - phaseMs) / (i + 1);
  });
  return numbers;
}

function isOutlier(line: FittedLine, number: number, ms: number): boolean {
  if (line.count < MIN_BEFORE) return false;
  const chance = jitterOf(line) * Math.sqrt(1 + line.leverage(number));
  return Math.abs(ms - line.at(number)) > Math.max(OUTLIER_MS, OUTLIER_DEVIATIONS * chance);
}

/** Standard deviation around a line, ms, combined with the prior while there are few points. */
function jitterOf({ squares, count }: FittedLine): number {
  return Math.sqrt((squares + PRIOR_TICKS * PRIOR_JITTER_MS ** 2) / (count - 2 + PRIOR_TICKS));
}
