const MIN_MS = 60;
const MAX_MS = 500;
/** Cover the worst delay of the last 30 s with a third as margin. */
const MARGIN = 4 / 3;
const HISTORY_SECONDS = 30;
/** Before work that is known to keep the window busy: at least so far, for so long. */
const LEAST_BUSY_MS = 250;
const BUSY_FOR_MS = 1000;

/**
 * Adaptive lookahead: each wake-up must schedule up to the moment the next one's output reaches the ports. Grows
 * immediately; shrinks only after 30 s without a comparable stall, because stalls recur.
 */
export class Lookahead {
  #lastWakeMs: number | null = null;
  /** Worst delay of each recent second, ms. */
  readonly #worst = new Map<number, number>();
  #longestMs = 0;
  #busyUntilMs = -Infinity;

  /** Reports the delay from one wake-up until the next one's output was in the ports, ms. */
  needed(ms: number): void {
    if (this.#lastWakeMs === null) return;
    const second = Math.floor(this.#lastWakeMs / 1000);
    this.#worst.set(second, Math.max(this.#worst.get(second) ?? 0, ms));
    this.#longestMs = Math.max(this.#longestMs, ms);
  }

  /** The window is about to be busy, as when it draws another view: for a second, covers the longest delay so far. */
  expectBusy(nowMs: number): void {
    this.#busyUntilMs = nowMs + BUSY_FOR_MS;
  }

  /** Call at every wake-up with the current time in ms; returns how far ahead to plan, ms. */
  wake(nowMs: number): number {
    const gapMs = this.#lastWakeMs === null ? 0 : nowMs - this.#lastWakeMs;
    this.#lastWakeMs = nowMs;
    this.needed(gapMs);
    const since = nowMs / 1000 - HISTORY_SECONDS;
    let worstMs = 0;
    for (const [second, ms] of this.#worst)
      if (second < since) this.#worst.delete(second);
      else if (ms > worstMs) worstMs = ms;
    const leastMs = nowMs < this.#busyUntilMs ? Math.max(LEAST_BUSY_MS, this.#longestMs * MARGIN) : MIN_MS;
    return Math.min(MAX_MS, Math.max(leastMs, worstMs * MARGIN));
  }
}
