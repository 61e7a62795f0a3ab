import { TICKS_PER_BEAT } from '../midi/message';
import { msOfBeat, type Motion } from '../transport/motion';

const { ceil, max } = Math;

/** Keeps a beat computed from a tick from rounding up to the next tick. */
const ROUNDING_TICKS = 1e-6;

/**
 * Where a follower's ticks fall on the grid. Ticks are numbered from the start of the song at the follower's own rate,
 * and each leaves once: a change of motion keeps the numbering.
 */
export class ClockLane {
  #ticksPerBeat: number;
  /** False while the clock only idles. */
  readonly rolling: boolean;
  #motion: Motion;
  #next: number;
  #nextMs: number;
  /** The rate to come, and from which beat on. */
  #later: { readonly ticksPerBeat: number; readonly beat: number } | null = null;

  constructor(motion: Motion, clockRate: number, rolling: boolean) {
    this.#ticksPerBeat = TICKS_PER_BEAT * clockRate;
    this.rolling = rolling;
    this.#motion = motion;
    this.#next = ceil(motion.beat * this.#ticksPerBeat - ROUNDING_TICKS);
    this.#nextMs = this.#msOf(this.#next);
  }

  get ticksPerBeat(): number {
    return this.#ticksPerBeat;
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
    this.#changeOver();
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

  /**
   * Ticks come at another rate from the first whole beat on where the beats of a follower that began to count at `origin`
   * stay on the beat: where both rates have counted the same number of ticks, but for whole beats.
   */
  changeRate(clockRate: number, fromBeat: number, origin: number): void {
    const ticksPerBeat = TICKS_PER_BEAT * clockRate;
    const more = (ticksPerBeat - this.#ticksPerBeat) / TICKS_PER_BEAT;
    let counted = ceil(max(fromBeat, this.#next / this.#ticksPerBeat) - origin - ROUNDING_TICKS);
    // Rates are halves, so the next beat fits if this one doesn't.
    if (!Number.isInteger(counted * more)) counted++;
    this.#later = more === 0 ? null : { ticksPerBeat, beat: origin + counted };
    this.#changeOver();
    this.#nextMs = this.#msOf(this.#next);
  }

  #changeOver(): void {
    if (!this.#later || this.#next < this.#later.beat * this.#ticksPerBeat - ROUNDING_TICKS) return;
    const { ticksPerBeat, beat } = this.#later;
    this.#ticksPerBeat = ticksPerBeat;
    this.#next = ceil(beat * ticksPerBeat - ROUNDING_TICKS);
    this.#later = null;
  }

  /** The first tick at or after a beat whose number is a multiple of `unit`, and its beat. */
  firstFrom(beat: number, unit: number): { tick: number; beat: number } {
    const { ticksPerBeat, beat: soonest } = this.#later ?? { ticksPerBeat: this.#ticksPerBeat, beat };
    const tick = ceil((max(beat, soonest) * ticksPerBeat - ROUNDING_TICKS) / unit) * unit;
    return { tick, beat: tick / ticksPerBeat };
  }

  #msOf(tick: number): number {
    return msOfBeat(this.#motion, tick / this.#ticksPerBeat);
  }
}
