const LEAST_MS = 60;
const MOST_MS = 500;
/** A wake-up as late as the worst of the last minute must still find everything sent. */
const MARGIN = 1.5;
const SHRINK_PER_SECOND = 0.95;

/**
 * How far ahead to plan, from how late the time loop has been woken, and how long what it sends lies about before it is
 * handed to the ports: grows at once, shrinks slowly.
 */
export class Lookahead {
  #lastWakeMs: number | null = null;
  #worstGapMs = 0;
  #worstHandoverMs = 0;

  #leastMs = LEAST_MS;

  /** For an output that must be handed its sound early: never plan less than this ahead, nor less than usual. */
  atLeast(ms: number): void {
    this.#leastMs = Math.min(MOST_MS, Math.max(LEAST_MS, ms));
  }

  /** What was sent has been handed to the ports so long after it was sent, ms. */
  handedOver(afterMs: number): void {
    this.#worstHandoverMs = Math.max(this.#worstHandoverMs, afterMs);
  }

  /** Call at every wake-up, with the time now in ms; gives the time to plan ahead, in ms. */
  wake(nowMs: number): number {
    const gapMs = this.#lastWakeMs === null ? 0 : nowMs - this.#lastWakeMs;
    this.#lastWakeMs = nowMs;
    const shrink = SHRINK_PER_SECOND ** (gapMs / 1000);
    this.#worstGapMs = Math.max(gapMs, this.#worstGapMs * shrink);
    this.#worstHandoverMs *= shrink;
    return Math.min(MOST_MS, Math.max(this.#leastMs, (this.#worstGapMs + this.#worstHandoverMs) * MARGIN));
  }
}
