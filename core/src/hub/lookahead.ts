const LEAST_MS = 60;
const MOST_MS = 500;
/** The worst of the last seconds, and half as much again, must still find everything sent. */
const MARGIN = 1.5;
/** Low enough that one bad moment is paid for a few seconds only: after 2.5 s the margin has been given back. */
const SHRINK_PER_SECOND = 0.85;

/**
 * How far ahead to plan: what is planned at one wake-up must reach until what is planned at the next has been handed to
 * the ports. Grows at once, shrinks over some seconds.
 */
export class Lookahead {
  #lastWakeMs: number | null = null;
  #worstMs = 0;
  #leadMs = 0;

  /** For an output that must be handed its sound so long before it is due, ms. */
  handOverBefore(ms: number): void {
    this.#leadMs = ms;
  }

  /** What was planned at a wake-up was in the ports so long after the wake-up before it, ms. */
  needed(ms: number): void {
    this.#worstMs = Math.max(this.#worstMs, ms);
  }

  /** Call at every wake-up, with the time now in ms; gives the time to plan ahead, in ms. */
  wake(nowMs: number): number {
    const gapMs = this.#lastWakeMs === null ? 0 : nowMs - this.#lastWakeMs;
    this.#lastWakeMs = nowMs;
    this.#worstMs = Math.max(gapMs, this.#worstMs * SHRINK_PER_SECOND ** (gapMs / 1000));
    return Math.min(MOST_MS, Math.max(LEAST_MS, this.#leadMs + this.#worstMs * MARGIN));
  }
}
