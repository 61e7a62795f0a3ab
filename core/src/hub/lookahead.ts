const LEAST_MS = 60;
const MOST_MS = 500;
/** The worst of the last half minute, and a third as much again, must still find everything sent. */
const MARGIN = 4 / 3;
const REMEMBERED_SECONDS = 30;

/**
 * How far ahead to plan: what is planned at one wake-up must reach until what is planned at the next has been handed to
 * the ports. Grows at once; shrinks when what it grew for has not come again for half a minute, for what stalls a computer
 * now and then comes again.
 */
export class Lookahead {
  #lastWakeMs: number | null = null;
  /** The worst of each of the last seconds, ms, by the second. */
  readonly #worst = new Map<number, number>();

  /** What was planned at a wake-up was in the ports so long after the wake-up before it, ms. */
  needed(ms: number): void {
    if (this.#lastWakeMs === null) return;
    const second = Math.floor(this.#lastWakeMs / 1000);
    this.#worst.set(second, Math.max(this.#worst.get(second) ?? 0, ms));
  }

  /** Call at every wake-up, with the time now in ms; gives the time to plan ahead, in ms. */
  wake(nowMs: number): number {
    const gapMs = this.#lastWakeMs === null ? 0 : nowMs - this.#lastWakeMs;
    this.#lastWakeMs = nowMs;
    this.needed(gapMs);
    const since = nowMs / 1000 - REMEMBERED_SECONDS;
    let worstMs = 0;
    for (const [second, ms] of this.#worst)
      if (second < since) this.#worst.delete(second);
      else if (ms > worstMs) worstMs = ms;
    return Math.min(MOST_MS, Math.max(LEAST_MS, worstMs * MARGIN));
  }
}
