import { NORMAL_95 } from '../maths/fit-line';
import type { ClockMatch } from './clock-match';

/** Limit for corrections, 0.3 ms/s, so that refining the clock estimate never causes a tempo step. */
const MAX_SLEW = 300e-6;
const SETTLES_IN_MS = 2000;
/** From this error on, as the first exchanges can leave it, being in time soon matters more: 3 ms/s, 0.3% of the tempo. */
const FAR_MS = 0.5;
const MAX_SLEW_FAR = 3e-3;
const SETTLES_FROM_FAR_MS = 500;
/** After a pause this long, resetting the mapping is inaudible. */
const PAUSE_MS = 2000;
/** Beyond this error it is reset in any case. */
const JUMP_MS = 50;
/** Without a clock estimate, use the fastest packet of this many seconds. */
const QUICKEST_OF_SECONDS = 10;
/** Timestamps this far from their arrival belong to another clock than the one being compared. */
const MAX_AHEAD_MS = 1000;
const MAX_BEHIND_MS = 5000;

/**
 * When to play a timestamped message: at its time plus the buffer, so that network jitter costs latency instead of
 * precision. The sender's clock is known from exchanges; without them, from the fastest packets.
 */
export class Playout {
  bufferMs: number;
  readonly #match: ClockMatch;
  /** Smallest difference between our time and a timestamp on arrival, per recent second, ms. */
  readonly #quickest = new Map<number, number>();
  /** Add to their time to get ours, ms. */
  #differenceMs: number | null = null;
  #movedMs = 0;
  /** Jumps of the clock that the mapping knows of. */
  #jumps = 0;
  #arrivedMs = -Infinity;

  constructor(match: ClockMatch, bufferMs: number) {
    this.#match = match;
    this.bufferMs = bufferMs;
  }

  arrived(stampMs: number, atMs: number): void {
    const second = Math.floor(atMs / 1000);
    if (!this.#quickest.has(second))
      for (const old of this.#quickest.keys()) if (old <= second - QUICKEST_OF_SECONDS) this.#quickest.delete(old);
    this.#quickest.set(second, Math.min(this.#quickest.get(second) ?? Infinity, atMs - stampMs));
    if (atMs - this.#arrivedMs > PAUSE_MS) this.#differenceMs = null;
    this.#arrivedMs = atMs;
    this.advance(atMs);
  }

  /**
   * Follows the drift as estimated, so that no lag builds up, and moves the rest of the way a little at a time: with
   * every packet, because the longer between two calls, the larger the step. When a
   * clock was set, the timestamps have jumped with it, and so does the mapping.
   */
  advance(nowMs: number): void {
    const wanted = this.#wanted(nowMs);
    if (wanted === null) return;
    const passedMs = nowMs - this.#movedMs;
    this.#movedMs = nowMs;
    const jumped = this.#match.jumps !== this.#jumps;
    this.#jumps = this.#match.jumps;
    if (this.#differenceMs === null || jumped || Math.abs(wanted - this.#differenceMs) > JUMP_MS) {
      this.#differenceMs = wanted;
      return;
    }
    this.#differenceMs -= ((this.#match.at(nowMs)?.driftPpm ?? 0) / 1e6) * passedMs;
    const off = wanted - this.#differenceMs;
    const isFar = Math.abs(off) > FAR_MS;
    const most = (isFar ? MAX_SLEW_FAR : MAX_SLEW) * passedMs;
    const settlesInMs = isFar ? SETTLES_FROM_FAR_MS : SETTLES_IN_MS;
    this.#differenceMs += Math.max(-most, Math.min(most, off * Math.min(1, passedMs / settlesInMs)));
  }

  /** Playout time of a timestamp on our clock, ms. */
  dueMs(stampMs: number): number {
    return stampMs + (this.#differenceMs ?? 0) + this.bufferMs;
  }

  /** Uncertainty of the mapping, 95 %, ms: of the clock estimate, and of what is still to be moved; null without one. */
  errorMs(nowMs: number): number | null {
    const reading = this.#match.at(nowMs);
    if (!reading) return null;
    const leftMs = this.#differenceMs === null ? 0 : Math.abs((this.#wanted(nowMs) ?? 0) - this.#differenceMs);
    return leftMs + NORMAL_95 * reading.standardErrorMs;
  }

  #wanted(nowMs: number): number | null {
    const quickest = Math.min(...this.#quickest.values());
    const reading = this.#match.at(nowMs);
    if (!reading) return Number.isFinite(quickest) ? quickest : null;
    const travelMs = quickest + reading.offsetMs;
    const another = Number.isFinite(quickest) && (travelMs < -MAX_AHEAD_MS || travelMs > MAX_BEHIND_MS);
    return another ? quickest : -reading.offsetMs;
  }
}
