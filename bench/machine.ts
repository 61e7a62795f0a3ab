import { readFileSync } from 'node:fs';

const EVERY_MS = 10;
const STALL_MS = 30;
const WINDOW_MS = 100;
/** Of two cores within a tenth of a second. */
const CALM_MS = 30;

/**
 * What the machine itself does to those who measure on it: how often a process that only waits was not called in time, and what
 * the host of a virtual machine gave to others (proc(5): steal).
 */
export class MachineWatch {
  readonly #stalls: number[] = [];
  /** When each tenth of a second ended, ms since the epoch, and what was stolen in it, ms. */
  readonly #windows: { atMs: number; stolenMs: number }[] = [];
  readonly #timer: ReturnType<typeof setInterval>;

  constructor() {
    let before = performance.now();
    let windowFrom = before;
    let stolen = stolenMs();
    this.#timer = setInterval(() => {
      const now = performance.now();
      if (now - before > EVERY_MS + STALL_MS) this.#stalls.push(now - before - EVERY_MS);
      before = now;
      if (now - windowFrom < WINDOW_MS) return;
      windowFrom = now;
      const all = stolenMs();
      this.#windows.push({ atMs: Date.now(), stolenMs: all - stolen });
      stolen = all;
    }, EVERY_MS);
  }

  end(): void {
    clearInterval(this.#timer);
  }

  /** Whether the host took next to nothing at any time between two, ms since the epoch. */
  calm(fromMs: number, toMs: number): boolean {
    const between = this.#windows.filter(({ atMs }) => atMs >= fromMs && atMs <= toMs);
    return between.length > 0 && between.every(({ stolenMs }) => stolenMs <= CALM_MS);
  }

  /** In words. */
  get report(): string {
    const stolen = this.#windows.reduce((sum, window) => sum + window.stolenMs, 0);
    const longest = Math.max(0, ...this.#stalls).toFixed(0);
    return `the machine stalled another process over ${STALL_MS} ms ${this.#stalls.length} times, ${longest} ms the longest, and its host took ${stolen} ms of the cores away, most within 100 ms ${Math.max(0, ...this.#windows.map((window) => window.stolenMs))} ms`;
  }
}

/** Since the machine was started, of all cores; 0 where it is not told. */
function stolenMs(): number {
  try {
    return 10 * Number(/^cpu +(?:\d+ +){7}(\d+)/.exec(readFileSync('/proc/stat', 'utf8'))?.[1] ?? 0);
  } catch {
    return 0;
  }
}
