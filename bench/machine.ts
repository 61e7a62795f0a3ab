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
  /** When a call that was late came, ms since the epoch, and how late it was, ms. */
  readonly #stalls: { atMs: number; ms: number }[] = [];
  /** When each tenth of a second ended, ms since the epoch, and what was stolen in it, ms. */
  readonly #windows: { atMs: number; stolenMs: number }[] = [];
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
      windowFrom = now;
      const all = stolenMs();
      this.#windows.push({ atMs: Date.now(), stolenMs: all - stolen });
      stolen = all;
    }, EVERY_MS);
  }

  end(): void {
    clearInterval(this.#timer);
  }

  /** Whether nothing stalled, and the host took next to nothing, at any time between two, ms since the epoch. */
  calm(fromMs: number, toMs: number): boolean {
    const isBetween = ({ atMs }: { atMs: number }) => atMs >= fromMs && atMs <= toMs;
    const windows = this.#windows.filter(isBetween);
    return windows.length > 0 && windows.every(({ stolenMs }) => stolenMs <= CALM_MS) && !this.#stalls.some(isBetween);
  }

  /** In words. */
  get report(): string {
    const stolen = this.#windows.reduce((sum, window) => sum + window.stolenMs, 0);
    const longest = Math.max(0, ...this.#stalls.map(({ ms }) => ms)).toFixed(0);
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
