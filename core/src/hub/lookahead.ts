const MIN_MS = 60;
const MAX_MS = 500;
/** Cover the worst delay of the last 30 s with a third as margin. */
const MARGIN = 4 / 3;
const HISTORY_SECONDS = 30;

/**
 * Adaptive lookahead: each wake-up must schedule up to the moment the next one's output reaches the ports. Grows
 * immediately; shrinks only after 30 s without a comparable stall, because stalls recur.
 */
export class Lookahead {
  #lastWakeMs: number | null = null;
  /** Worst delay of each recent second, ms. */
  readonly #worst = new Map<number, number>();

  /** Reports the delay from one wake-up until the next one's output was in the ports, ms. */
  needed(ms: number): void {
    if (this.#lastWakeMs === null) return;
    const second = Math.floor(this.#lastWakeMs / 1000);
    this.#worst.set(second, Math.max(this.#worst.get(second) ?? 0, ms));
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
    return Math.min(MAX_MS, Math.max(MIN_MS, worstMs * MARGIN));
  }
}
