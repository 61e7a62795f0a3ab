/** Time stamps vary from block to block; the median of this many places frame 0. */
const KEPT = 255;
/** Later than expected by more than this, samples are missing. */
const GAP_MS = 40;

/** Numbers the frames of a track whose blocks carry capture times, and says when frame 0 was. */
export class TrackClock {
  readonly #sampleRate: number;
  #next = 0;
  #zeros: number[] = [];

  constructor(sampleRate: number) {
    this.#sampleRate = sampleRate;
  }

  /** The number of a block's first frame, from its capture time in ms; missing samples are counted. */
  frameOf(atMs: number, frames: number): number {
    const ms = (frame: number) => (frame / this.#sampleRate) * 1000;
    const lateMs = this.#zeros.length === 0 ? 0 : atMs - this.zeroMs - ms(this.#next);
    if (lateMs > GAP_MS) this.#next += Math.round((lateMs / 1000) * this.#sampleRate);
    const first = this.#next;
    this.#next += frames;
    this.#zeros.push(atMs - ms(first));
    if (this.#zeros.length > KEPT) this.#zeros.shift();
    return first;
  }

  /** Capture time of frame 0, ms. */
  get zeroMs(): number {
    const sorted = [...this.#zeros].sort((a, b) => a - b);
    return sorted[sorted.length >> 1] ?? 0;
  }
}
