import { readFileSync } from 'node:fs';

const EVERY_MS = 10;
const STALL_MS = 30;
const WINDOW_MS = 100;
/** Stall that still counts as calm: two cores within a tenth of a second. */
const CALM_MS = 30;

/**
 * What the machine itself costs the measurement: how often a waiting process was called late, and the time the host of
 * a virtual machine gave to others (proc(5): steal).
 */
export class MachineWatch {
  /** Late calls: time in ms since the epoch, and delay in ms. */
  readonly #stalls: { atMs: number; ms: number }[] = [];
  /** End of each tenth of a second, ms since the epoch, its length, and the time stolen in it, ms. */
  readonly #windows: { atMs: number; ms: number; stolenMs: number }[] = [];
  readonly #timer: ReturnType<typeof setInterval>;

  constructor() {
    let before = performance.now();
    let windowFrom = before;
    let stolen = stolenMs();
    this.#timer = setInterval(() => {
      const now = performance.now();
      const lateMs = now - before - EVERY_MS;
      if (lateMs > STALL_MS) this.#stalls.push({ atMs: Date.now(), ms: lateMs });
      before = now;
      if (now - windowFrom < WINDOW_MS) return;
      const all = stolenMs();
      this.#windows.push({ atMs: Date.now(), ms: now - windowFrom, stolenMs: all - stolen });
      windowFrom = now;
      stolen = all;
    }, EVERY_MS);
    // A test that fails before it ends the watch must not keep its runner for ever.
    this.#timer.unref();
  }

  end(): void {
    clearInterval(this.#timer);
  }

  /** Whether there was no stall and next to no steal between two times, or across them, ms since the epoch. */
  calm(fromMs: number, toMs: number): boolean {
    const isBetween = ({ atMs, ms }: { atMs: number; ms: number }) => atMs >= fromMs && atMs - ms <= toMs;
    const windows = this.#windows.filter(isBetween);
    return windows.length > 0 && windows.every(({ stolenMs }) => stolenMs <= CALM_MS) && !this.#stalls.some(isBetween);
  }

  /** Of all stalls so far, the longest, ms. */
  get longestStallMs(): number {
    return Math.max(0, ...this.#stalls.map(({ ms }) => ms));
  }

  /** As a sentence. */
  get report(): string {
    const stolen = this.#windows.reduce((sum, window) => sum + window.stolenMs, 0);
    const longest = this.longestStallMs.toFixed(0);
    return `the machine stalled another process over ${STALL_MS} ms ${this.#stalls.length} times, ${longest} ms the longest, and its host took ${stolen} ms of the cores away, most within 100 ms ${Math.max(0, ...this.#windows.map((window) => window.stolenMs))} ms`;
  }
}

/** Steal since boot over all cores; 0 if not reported. */
function stolenMs(): number {
  try {
    return 10 * Number(/^cpu +(?:\d+ +){7}(\d+)/.exec(readFileSync('/proc/stat', 'utf8'))?.[1] ?? 0);
  } catch {
    return 0;
  }
}
