/** How far a return has drifted since the start, and how fast. */
export interface Drift {
  /** Relative to the first readings, ms; plus is later. */
  wanderedMs: number;
  msPerMinute: number;
  /** Parts per million: plus runs slow. */
  ppm: number;
}

const MAX_POINTS = 1024;
const MIN_POINTS = 8;
const MS_PER_MINUTE = 60_000;

/**
 * Trace of a return against the grid in bounded memory: when full, every second point is dropped and from then on every
 * second reading is kept. The drift is the least-squares slope over all readings, kept or not.
 */
export class DriftTrace {
  #points: { atMs: number; lateMs: number }[] = [];
  #keepEvery = 1;
  #count = 0;
  #firstMs = 0;
  #sums = { t: 0, tt: 0, y: 0, ty: 0 };

  push(atMs: number, lateMs: number): void {
    if (this.#count === 0) this.#firstMs = atMs;
    const t = atMs - this.#firstMs;
    this.#sums.t += t;
    this.#sums.tt += t * t;
    this.#sums.y += lateMs;
    this.#sums.ty += t * lateMs;
    if (this.#count++ % this.#keepEvery === 0) this.#points.push({ atMs, lateMs });
    if (this.#points.length < MAX_POINTS) return;
    this.#points = this.#points.filter((_, i) => i % 2 === 0);
    this.#keepEvery *= 2;
  }

  get points(): readonly { atMs: number; lateMs: number }[] {
    return this.#points;
  }

  /** Null while there are too few readings. */
  get drift(): Drift | null {
    const { t, tt, y, ty } = this.#sums;
    const n = this.#count;
    const spread = n * tt - t * t;
    if (n < MIN_POINTS || spread <= 0) return null;
    const slope = (n * ty - t * y) / spread;
    const lastMs = (this.#points.at(-1)?.atMs ?? this.#firstMs) - this.#firstMs;
    return { wanderedMs: slope * lastMs, msPerMinute: slope * MS_PER_MINUTE, ppm: slope * 1e6 };
  }
}
