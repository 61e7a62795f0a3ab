import type { ClockMatch } from './clock-match';

/** The mapping is moved no faster than this, so that a better estimate is no step in the tempo: 0.3 ms in a second. */
const MOST_SLEW = 300e-6;
const SETTLES_IN_MS = 10_000;
/** While nothing has come for so long, nobody hears it when the mapping is set anew. */
const PAUSE_MS = 2000;
/** Further off than this it is set anew in any case. */
const JUMP_MS = 50;
/** Without a clock to go by: the quickest way of the last seconds. */
const QUICKEST_OF_SECONDS = 10;
/** Stamps that lie further from when they come than this are of another clock than the one that is compared. */
const MOST_AHEAD_MS = 1000;
const MOST_BEHIND_MS = 5000;

/**
 * When what carries a stamp is to be played: at its time plus the buffer, so that the network's jitter costs latency, not
 * evenness. Their clock is known by exchanges; where there are none, by the packets that were quickest.
 */
export class Playout {
  bufferMs: number;
  readonly #match: ClockMatch;
  /** The least that our time was ahead of a stamp on arrival, of each of the last seconds, ms. */
  readonly #quickest = new Map<number, number>();
  /** Added to their time it gives ours, ms. */
  #differenceMs: number | null = null;
  #movedMs = 0;
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
    if (this.#differenceMs === null) this.advance(atMs);
  }

  /** Follows what is known of their clock. */
  advance(nowMs: number): void {
    const wanted = this.#wanted(nowMs);
    if (wanted === null) return;
    const passedMs = nowMs - this.#movedMs;
    this.#movedMs = nowMs;
    const off = this.#differenceMs === null ? Infinity : wanted - this.#differenceMs;
    if (this.#differenceMs === null || Math.abs(off) > JUMP_MS) this.#differenceMs = wanted;
    else {
      // What may be chance is not followed: that it stays even matters more than the last tenth of latency.
      const beyond = Math.sign(off) * Math.max(0, Math.abs(off) - this.#chanceMs(nowMs));
      const most = MOST_SLEW * passedMs;
      this.#differenceMs += Math.max(-most, Math.min(most, (beyond * passedMs) / SETTLES_IN_MS));
    }
  }

  /** When what has a stamp is to be played, on our clock, ms. */
  dueMs(stampMs: number): number {
    return stampMs + (this.#differenceMs ?? 0) + this.bufferMs;
  }

  #chanceMs(nowMs: number): number {
    return 2 * (this.#match.at(nowMs)?.standardErrorMs ?? 0);
  }

  #wanted(nowMs: number): number | null {
    const quickest = Math.min(...this.#quickest.values());
    const reading = this.#match.at(nowMs);
    if (!reading) return Number.isFinite(quickest) ? quickest : null;
    const travelMs = quickest + reading.offsetMs;
    const another = Number.isFinite(quickest) && (travelMs < -MOST_AHEAD_MS || travelMs > MOST_BEHIND_MS);
    return another ? quickest : -reading.offsetMs;
  }
}
