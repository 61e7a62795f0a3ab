import { mean, pairs } from 'd3-array';
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
const AGREE_DEVIATIONS = 3;
const SILENT_INTERVALS = 3;
const MIN_SILENCE_MS = 60;
const FREEWHEEL_MS = 2000;
const MS_PER_MINUTE = 60_000;

interface Arrival {
  readonly ms: number;
  readonly extra: boolean;
  readonly missing: number;
}

/**
 * Estimates tempo, position and state from jittery, duplicate or missing ticks. Least squares over a window that grows
 * while ticks fit and restarts at the change point when they don't: maximum smoothing for a steady clock, immediate
 * response to a change.
 */
export class ClockFollower {
  readonly #facts: ResponseFacts;
  readonly #freewheelMs: number;
  /** Tick numbers, missing ones included, against arrival times; outliers don't count. */
  readonly #ticks: LineWindow;
  /** Recent arrivals, however they were classified. */
  #arrivals: Arrival[] = [];
  #line: FittedLine | null = null;
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
        if (!this.#rolling) this.#standsAt = message.sixteenths * TICKS_PER_SIXTEENTH;
    }
  }

  at(nowMs: number): ClockReading {
    const state = this.#state(nowMs);
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

  #roll(): void {
    this.#rolling = this.#begins = true;
    this.#songTick = this.#nextNumber() - this.#standsAt;
  }

  #nextNumber(): number {
    return (this.#ticks.last?.x ?? -1) + 1;
  }

  #songTicksAt(nowMs: number, state: FollowState): number {
    const last = this.#ticks.last;
    // Between start and its first tick, the song stays at its start position.
    if (!this.#rolling || !last || last.x < this.#songTick + this.#standsAt) return this.#standsAt;
    const untilMs = state === 'lost' ? last.y + this.#freewheelMs : nowMs;
    return (this.#line?.where(untilMs) ?? last.x) - this.#songTick;
  }

  #state(nowMs: number): FollowState {
    const last = this.#ticks.last;
    if (!last) return 'silent';
    const silentMs = nowMs - last.y;
    const longMs = Math.max(MIN_SILENCE_MS, SILENT_INTERVALS * (this.#line?.slope ?? 0));
    if (silentMs > longMs) {
      if (!this.#rolling || this.#heard < this.#facts.lockTicks)
        return silentMs > this.#freewheelMs ? 'silent' : 'settling';
      return silentMs > this.#freewheelMs ? 'lost' : 'freewheeling';
    }
    return this.#heard < this.#facts.lockTicks ? 'settling' : 'locked';
  }

  #tick(atMs: number): void {
    const last = this.#ticks.last;
    // After a long silence only the position is still known, not the tempo.
    if (last && atMs - last.y > this.#freewheelMs) this.#forget(atMs);
    this.#heard++;
    if (this.#begins) this.#beginAt(atMs);
    else this.#take(atMs);
    if (this.#goesAtAnotherTempo()) this.#countAnew();
    else {
      const turned = this.#turned();
      if (turned !== null) this.#beginWithLast(turned);
    }
    this.#line = this.#ticks.line();
  }

  #forget(atMs: number): void {
    const number = Math.round(this.#line?.where(atMs) ?? this.#nextNumber()) - 1;
    this.#ticks.keepLast(0);
    this.#ticks.push(number, atMs - (this.#line?.slope ?? 0), false);
    this.#arrivals = [];
    this.#line = null;
    this.#heard = 0;
  }

  /**
   * The first tick after start or continue is the song's first, whatever was due. Many machines restart their tick
   * phase there: keep the tempo and forget the rest.
   */
  #beginAt(atMs: number): void {
    this.#begins = false;
    const next = this.#nextNumber();
    const line = this.#line;
    if (line && (line.count < MIN_BEFORE || isOutlier(line, next, atMs))) {
      this.#ticks.keepLast(0);
      this.#arrivals = [];
      for (let i = KEPT_AT_BEGINNING; i > 0; i--) this.#ticks.push(next - i, atMs - i * line.slope);
    }
    this.#arrivals.push({ ms: atMs, extra: false, missing: 0 });
    this.#ticks.push(next, atMs);
  }

  /** Assigns the tick to the nearest expected one; a second tick for the same number is a duplicate. */
  #take(atMs: number): void {
    const next = this.#nextNumber();
    const number = Math.max(next - 1, this.#nearestNumber(atMs, next));
    const arrival = { ms: atMs, extra: number < next, missing: Math.max(0, number - next) };
    this.#arrivals = [...this.#arrivals.slice(-this.#facts.changeTicks), arrival];
    this.#count(arrival, 1);
    if (arrival.extra) return;
    const fits = !this.#line || !isOutlier(this.#line, number, atMs);
    this.#ticks.push(number, atMs, fits);
  }

  #nearestNumber(atMs: number, next: number): number {
    const last = this.#ticks.last;
    if (!this.#line || !last) return next;
    const intervals = (atMs - last.y) / this.#line.slope;
    // With only a few ticks the line is still uncertain; accept any plausible interval as the next tick.
    if (this.#line.count < MIN_BEFORE && intervals > 0.3 && intervals < 2.5) return next;
    return Math.round(this.#line.where(atMs));
  }

  #count({ extra, missing }: Arrival, sign: 1 | -1): void {
    this.#extra += extra ? sign : 0;
    this.#missing += sign * missing;
  }

  /** The last intervals agree with each other but not with the tempo: a new tempo, not missing or duplicate ticks. */
  #goesAtAnotherTempo(): boolean {
    const { changeTicks, deviations } = this.#facts;
    const intervals = pairs(this.#arrivals, (a, b) => b.ms - a.ms);
    const line = this.#line;
    if (!line || intervals.length < changeTicks) return false;
    const interval = mean(intervals) ?? 0;
    const jitterMs = jitterOf(line);
    const agree = Math.max(AGREE * interval, AGREE_DEVIATIONS * Math.SQRT2 * jitterMs);
    const chance = jitterMs * Math.sqrt(2 / changeTicks ** 2 + line.slopeVariance);
    const far = Math.max(OTHER_TEMPO * line.slope, deviations * chance);
    return intervals.every((ms) => Math.abs(ms - interval) < agree) && Math.abs(interval - line.slope) > far;
  }

  /** Renumbers the last arrivals as consecutive ticks. */
  #countAnew(): void {
    const arrivals = this.#arrivals;
    const firstMs = arrivals[0]?.ms ?? 0;
    const first = (this.#ticks.points.findLast(({ y }) => y < firstMs)?.x ?? -1) + 1;
    for (const arrival of arrivals) this.#count(arrival, -1);
    this.#arrivals = arrivals.map(({ ms }) => ({ ms, extra: false, missing: 0 }));
    this.#ticks.keepLast(0);
    // The first interval may still belong to the old tempo.
    const [firstInterval = 0, ...others] = pairs(arrivals, (a, b) => b.ms - a.ms);
    const old = Math.abs(firstInterval - (this.#line?.slope ?? 0)) < Math.abs(firstInterval - (mean(others) ?? 0));
    arrivals.forEach(({ ms }, i) => this.#ticks.push(first + i, ms, i > 0 || !old));
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

  /** Ticks rejected as outliers count once there are many of them. */
  #beginWithLast(count: number): void {
    const ticks = this.#ticks.points.slice(-count);
    this.#ticks.keepLast(0);
    for (const { x, y } of ticks) this.#ticks.push(x, y);
  }
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
