/** Frames per batch: 43 ms at 48 kHz. */
const BATCH_FRAMES = 2048;

type Post = (startFrame: number, channels: Float32Array[]) => void;

/**
 * Collects blocks of samples, so that messages stay few. Every batch is contiguous: missing or repeated frames begin a new
 * one. Runs on the audio thread, so it allocates per batch, not per block.
 */
export class FrameBatch {
  readonly #post: Post;
  #channels: Float32Array[];
  #startFrame = 0;
  #filled = 0;

  constructor(channels: number, post: Post) {
    this.#post = post;
    this.#channels = empty(channels);
  }

  /** A channel that a block lacks is silent. */
  push(frame: number, block: readonly Float32Array[], frames: number): void {
    if (this.#filled > 0 && frame !== this.#startFrame + this.#filled) this.#send();
    for (let from = 0; from < frames;) {
      if (this.#filled === 0) this.#startFrame = frame + from;
      const count = Math.min(frames - from, BATCH_FRAMES - this.#filled);
      const whole = count === frames;
      for (const [i, channel] of this.#channels.entries()) {
        const samples = block[i];
        if (samples) channel.set(whole ? samples : samples.subarray(from, from + count), this.#filled);
      }
      from += count;
      this.#filled += count;
      if (this.#filled === BATCH_FRAMES) this.#send();
    }
  }

  #send(): void {
    const full = this.#filled === BATCH_FRAMES;
    const channels = full ? this.#channels : this.#channels.map((channel) => channel.slice(0, this.#filled));
    this.#filled = 0;
    this.#channels = empty(channels.length);
    this.#post(this.#startFrame, channels);
  }
}

function empty(channels: number): Float32Array[] {
  return Array.from({ length: channels }, () => new Float32Array(BATCH_FRAMES));
}
