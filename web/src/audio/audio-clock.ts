const READINGS = 32;
const EVERY_MS = 60;
/** Consecutive readings beyond the jitter that mean an audio dropout. */
const JUMP_READINGS = 5;
const JUMP_SECONDS = 0.002;

/**
 * Maps the audio clock to the window's. Audio runs on its own crystal and its timestamps jitter, so the median of many
 * readings is used, never a single one. Seconds of the context against ms of the window.
 */
export class AudioClock {
  readonly #context: AudioContext;
  readonly #offsets: number[] = [];

  constructor(context: AudioContext) {
    this.#context = context;
    // As long as the page, like its context.
    setInterval(() => this.#read(), EVERY_MS);
    this.#read();
  }

  /** Context time of the sample that leaves the speakers at `atMs`. */
  contextTimeAt(atMs: number): number {
    return atMs / 1000 + this.#offsetSeconds();
  }

  /** When the sample at a context time leaves the speakers, in ms. */
  msAt(contextTime: number): number {
    return (contextTime - this.#offsetSeconds()) * 1000;
  }

  #read(): void {
    if (this.#context.state !== 'running') {
      this.#offsets.length = 0;
      return;
    }
    const { contextTime = 0, performanceTime = 0 } = this.#context.getOutputTimestamp();
    if (contextTime <= 0 || performanceTime <= 0) return;
    this.#offsets.push(contextTime - performanceTime / 1000);
    if (this.#offsets.length > READINGS) this.#offsets.shift();
    // A dropout changes the relation of the two clocks: discard earlier readings.
    const last = this.#offsets.slice(-JUMP_READINGS);
    const jumped = last.length === JUMP_READINGS && Math.abs(middle(last) - middle(this.#offsets)) > JUMP_SECONDS;
    if (jumped) this.#offsets.splice(0, this.#offsets.length - JUMP_READINGS);
  }

  #offsetSeconds(): number {
    if (this.#offsets.length === 0) this.#read();
    if (this.#offsets.length === 0) return this.#context.currentTime - performance.now() / 1000;
    return middle(this.#offsets);
  }
}

function middle(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.floor(sorted.length / 2)] ?? NaN;
}
