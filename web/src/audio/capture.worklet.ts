/** Frames per batch: 43 ms at 48 kHz. */
const BATCH_FRAMES = 2048;

type Order = { kind: 'begin'; port: MessagePort; channels: number } | { kind: 'end' };

/**
 * Captures every sample of its input on all channels and posts contiguous batches. If the input is briefly missing,
 * silence fills the gap, so that no time is lost.
 */
class CaptureProcessor extends AudioWorkletProcessor {
  #port: MessagePort | null = null;
  #channels: Float32Array[] = [];
  #filled = 0;
  #startFrame = 0;
  #ended = false;

  constructor() {
    super();
    this.port.onmessage = ({ data }: MessageEvent<Order>) => {
      if (data.kind === 'end') {
        this.#ended = true;
        return;
      }
      this.#port = data.port;
      this.#channels = empty(data.channels);
      this.#filled = 0;
    };
  }

  process(inputs: Float32Array[][]): boolean {
    if (!this.#port || this.#ended) return !this.#ended;
    const input = inputs[0] ?? [];
    const frames = input[0]?.length ?? 128;
    if (this.#filled === 0) this.#startFrame = currentFrame;
    this.#channels.forEach((channel, i) => {
      const samples = input[i];
      if (samples) channel.set(samples, this.#filled);
    });
    this.#filled += frames;
    if (this.#filled < BATCH_FRAMES) return true;
    const channels = this.#channels;
    this.#port.postMessage(
      { sampleRate, startFrame: this.#startFrame, startMs: null, counted: true, channels },
      channels.map((channel) => channel.buffer as ArrayBuffer),
    );
    this.#channels = empty(channels.length);
    this.#filled = 0;
    return true;
  }
}

function empty(channels: number): Float32Array[] {
  return Array.from({ length: channels }, () => new Float32Array(BATCH_FRAMES));
}

registerProcessor('capture', CaptureProcessor);
