import { TICKS_PER_BEAT } from '../midi/message';
import { beatAt, msOfBeat, type Motion } from '../transport/motion';

const { ceil } = Math;

/** Keeps a beat computed from a tick from rounding up to the next tick. */
const ROUNDING_TICKS = 1e-6;

/**
 * Where a follower's ticks fall on the grid. Ticks are numbered from the start of the song at the follower's own rate,
 * and each leaves once: a change of motion keeps the numbering.
 */
export class ClockLane {
  readonly ticksPerBeat: number;
  /** False while the clock only idles. */
  readonly rolling: boolean;
  #motion: Motion;
  #next: number;
  #nextMs: number;

  constructor(motion: Motion, clockRate: number, rolling: boolean) {
    this.ticksPerBeat = TICKS_PER_BEAT * clockRate;
    this.rolling = rolling;
    this.#motion = motion;
    this.#next = ceil(motion.beat * this.ticksPerBeat - ROUNDING_TICKS);
    this.#nextMs = this.#msOf(this.#next);
  }

  /** Grid time of the next tick, ms. */
  get nextMs(): number {
    return this.#nextMs;
  }

  get next(): number {
    return this.#next;
  }

  get motion(): Motion {
    return this.#motion;
  }

  /** Takes the next tick and returns its number. */
  take(): number {
    const tick = this.#next++;
    this.#nextMs = this.#msOf(this.#next);
    return tick;
  }

  /** Interval from the next tick to the one after it, ms. */
  get intervalMs(): number {
    return this.#msOf(this.#next + 1) - this.#nextMs;
  }

  retime(motion: Motion): void {
    this.#motion = motion;
    this.#nextMs = this.#msOf(this.#next);
  }

  /** The first tick at or after a beat whose number is a multiple of `unit`. */
  firstFrom(beat: number, unit: number): number {
    return ceil((beat * this.ticksPerBeat - ROUNDING_TICKS) / unit) * unit;
  }

  msOf(tick: number): number {
    return this.#msOf(tick);
  }

  beatAt(ms: number): number {
    return beatAt(this.#motion, ms);
  }

  #msOf(tick: number): number {
    return msOfBeat(this.#motion, tick / this.ticksPerBeat);
  }
}
