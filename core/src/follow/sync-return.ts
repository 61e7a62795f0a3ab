import { medianInterval } from '../maths/median-interval';
import { TICKS_PER_BEAT } from '../midi/message';

/** Where the hub's grid is at a moment. */
export interface GridMoment {
  readonly beat: number;
  readonly bpm: number;
}

/** How far the sync that a device sends back is from the hub's grid, by its time stamps: MIDI, not sound. */
export interface SyncReturn {
  /** Median of the last messages, ms, and its 95% interval; plus is late. */
  lateMs: number;
  ci95Ms: [number, number];
  /** Standard deviation about their mean, ms. */
  jitterMs: number;
  /** Lateness of the last beats of a clock, or of the last codes, ms; oldest first. */
  landingsMs: number[];
  /** False if neither start nor song position has come with the clock: then it is known within one tick only. */
  counted: boolean;
  /** It moves away from the grid, so the median means nothing. */
  drifts: boolean;
}

/** Four beats of a clock; 8 s of timecode at 24 fps, which sends a code every other frame. */
const MOST = 4 * TICKS_PER_BEAT;
/** A beat of clock. Fewer make no median worth reading. */
const FEWEST = TICKS_PER_BEAT;
const MOST_LANDINGS = 16;
/** Halves of the window this far apart, and this many standard errors, drift. */
const DRIFT_MS = 1;
const DRIFT_ERRORS = 5;
/** Timecode that is off by so much more than just now was located elsewhere: that isn't drift, and counts from there. */
const LOCATED_MS = 500;
/** A clock that can't be counted is taken for up to a quarter tick early, or three quarters late: gear is late. */
const EARLY_TICKS = 0.25;
const MS_PER_MINUTE = 60_000;

/** Collects the lateness of what one device sends back, and summarizes its last seconds. */
export class SyncReturnWatch {
  #late: number[] = [];
  #landings: number[] = [];
  #counted = true;
  #reading: SyncReturn | null = null;

  /** A tick that arrived when the grid was there. `number`: which tick of the song it is; null if nobody knows. */
  tick(number: number | null, { beat, bpm }: GridMoment): void {
    if (this.#counted !== (number !== null)) this.forget();
    this.#counted = number !== null;
    const ticksLate = number === null ? wrap(beat * TICKS_PER_BEAT) : beat * TICKS_PER_BEAT - number;
    const onBeat = number !== null && number % TICKS_PER_BEAT === 0;
    this.#add((ticksLate * MS_PER_MINUTE) / TICKS_PER_BEAT / bpm, onBeat);
  }

  /** A timecode that began to arrive this late, ms. */
  code(lateMs: number): void {
    const before = this.#late.at(-1) ?? lateMs;
    if (!this.#counted || Math.abs(lateMs - before) > LOCATED_MS) this.forget();
    this.#counted = true;
    this.#add(lateMs, true);
  }

  forget(): void {
    this.#late = [];
    this.#landings = [];
    this.#reading = null;
  }

  /** Null until there is enough to go by. */
  get reading(): SyncReturn | null {
    if (this.#late.length < FEWEST) return null;
    this.#reading ??= this.#read();
    return this.#reading;
  }

  #add(lateMs: number, lands: boolean): void {
    if (!Number.isFinite(lateMs)) return;
    this.#reading = null;
    this.#late.push(lateMs);
    if (this.#late.length > MOST) this.#late.shift();
    if (!lands) return;
    this.#landings.push(lateMs);
    if (this.#landings.length > MOST_LANDINGS) this.#landings.shift();
  }

  #read(): SyncReturn {
    const { median, ci95 } = medianInterval(Float64Array.from(this.#late).sort());
    const half = this.#late.length >> 1;
    const [before, after] = [spread(this.#late.slice(0, half)), spread(this.#late.slice(half))];
    const errorMs = Math.hypot(before.deviation, after.deviation) / Math.sqrt(half);
    const movedMs = Math.abs(after.mean - before.mean);
    return {
      lateMs: median,
      ci95Ms: ci95,
      jitterMs: spread(this.#late).deviation,
      landingsMs: [...this.#landings],
      counted: this.#counted,
      drifts: movedMs > Math.max(DRIFT_MS, DRIFT_ERRORS * errorMs),
    };
  }
}

/** Ticks past the nearest tick that such a tick may be, from a quarter early to three quarters late. */
function wrap(ticks: number): number {
  const late = ticks - Math.floor(ticks);
  return late > 1 - EARLY_TICKS ? late - 1 : late;
}

function spread(values: readonly number[]): { mean: number; deviation: number } {
  const mean = values.reduce((sum, value) => sum + value, 0) / values.length;
  const squares = values.reduce((sum, value) => sum + (value - mean) ** 2, 0);
  return { mean, deviation: Math.sqrt(squares / Math.max(1, values.length - 1)) };
}
