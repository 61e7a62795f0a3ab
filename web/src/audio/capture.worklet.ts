import { FrameBatch } from './frame-batch';

type Order = { kind: 'begin'; port: MessagePort; channels: number } | { kind: 'end' };

/**
 * Captures every sample of its input on all channels. A busy computer may leave blocks out, or deliver one twice (seen in
 * Chromium), so each goes where its frame says.
 */
class CaptureProcessor extends AudioWorkletProcessor {
  #batch: FrameBatch | null = null;
  #ended = false;

  constructor() {
    super();
    this.port.onmessage = ({ data }: MessageEvent<Order>) => {
      if (data.kind === 'end') {
        this.#ended = true;
        return;
      }
      const { port } = data;
      this.#batch = new FrameBatch(data.channels, (startFrame, channels) =>
        port.postMessage(
          { sampleRate, startFrame, startMs: null, counted: true, channels },
          channels.map((channel) => channel.buffer as ArrayBuffer),
        ),
      );
    };
  }

  process(inputs: Float32Array[][]): boolean {
    if (!this.#batch || this.#ended) return !this.#ended;
    const input = inputs[0] ?? [];
    this.#batch.push(currentFrame, input, input[0]?.length ?? 128);
    return true;
  }
}

registerProcessor('capture', CaptureProcessor);
