import type { ToMeasure } from '../hub/protocol';
import { TrackClock } from './track-clock';

/** Frames per batch, at least. */
const BATCH_FRAMES = 2048;
/** Blocks kept while this thread is busy: five seconds, at 10 ms each. */
const MAX_BLOCKS = 500;
/** An open input delivers within this time, silent or not. */
const FIRST_BLOCK_MS = 5000;
/** Capture times count from the page's time origin; further off than a busy page reads late, from somewhere else. */
const SAME_CLOCK_MS = 60_000;

/** As browsers that have it offer it to a page; the DOM's types know it in workers only, and for video. */
interface TrackProcessor {
  readable: ReadableStream<AudioData>;
}
type TrackProcessorClass = new (init: { track: MediaStreamTrack; maxBufferSize: number }) => TrackProcessor;

/** Whether all channels of a track can be read, and not only the two that Web Audio passes on. */
export function readsAllChannels(): boolean {
  return 'MediaStreamTrackProcessor' in globalThis;
}

export interface CapturedTrack {
  channels: number;
  sampleRate: number;
  /** Capture time of frame 0, ms of the window's clock. */
  zeroMs(): number;
  close(): void;
}

/**
 * Streams every channel of a track to `toMeasure`. Resolves once audio flows, or to null if none does; `onEnd` is called if
 * it stops flowing for good, or its format changes.
 */
export async function captureTrack(
  track: MediaStreamTrack,
  toMeasure: MessagePort,
  onEnd: () => void,
): Promise<CapturedTrack | null> {
  const { MediaStreamTrackProcessor } = globalThis as unknown as { MediaStreamTrackProcessor: TrackProcessorClass };
  const reader = new MediaStreamTrackProcessor({ track, maxBufferSize: MAX_BLOCKS }).readable.getReader();
  const silence = setTimeout(() => void reader.cancel(), FIRST_BLOCK_MS);
  const { value: first } = await reader.read();
  clearTimeout(silence);
  if (!first) return null;
  const awayMs = performance.now() - first.timestamp / 1000;
  const shiftMs = Math.abs(awayMs) > SAME_CLOCK_MS ? awayMs : 0;
  const { numberOfChannels: channels, sampleRate } = first;
  const clock = new TrackClock(sampleRate);
  const batch = new Batch(channels, (startFrame, samples) =>
    toMeasure.postMessage(
      { sampleRate, startFrame, startMs: null, counted: false, channels: samples } satisfies ToMeasure,
      samples.map((channel) => channel.buffer as ArrayBuffer),
    ),
  );
  let closed = false;
  const take = (block: AudioData): boolean => {
    const isSame = block.numberOfChannels === channels && block.sampleRate === sampleRate;
    if (isSame) batch.push(clock.frameOf(block.timestamp / 1000 + shiftMs, block.numberOfFrames), block);
    block.close();
    return isSame;
  };
  const read = async () => {
    take(first);
    for (;;) {
      const { value, done } = await reader.read();
      if (done || closed || !take(value)) break;
    }
  };
  void read()
    .catch(() => undefined)
    .then(() => closed || onEnd());
  return {
    channels,
    sampleRate,
    zeroMs: () => clock.zeroMs,
    close() {
      closed = true;
      void reader.cancel().catch(() => undefined);
      toMeasure.close();
    },
  };
}

/** Collects blocks, so that messages stay few; one after a gap begins anew. */
class Batch {
  readonly #channels: number;
  readonly #post: (startFrame: number, channels: Float32Array[]) => void;
  #blocks: Float32Array[][] = [];
  #startFrame = 0;
  #frames = 0;

  constructor(channels: number, post: (startFrame: number, channels: Float32Array[]) => void) {
    this.#channels = channels;
    this.#post = post;
  }

  push(startFrame: number, block: AudioData): void {
    if (this.#frames > 0 && startFrame !== this.#startFrame + this.#frames) this.#send();
    if (this.#frames === 0) this.#startFrame = startFrame;
    this.#blocks.push(
      Array.from({ length: this.#channels }, (_, planeIndex) => {
        const samples = new Float32Array(block.numberOfFrames);
        block.copyTo(samples, { planeIndex, format: 'f32-planar' });
        return samples;
      }),
    );
    this.#frames += block.numberOfFrames;
    if (this.#frames >= BATCH_FRAMES) this.#send();
  }

  #send(): void {
    const joined = Array.from({ length: this.#channels }, () => new Float32Array(this.#frames));
    let at = 0;
    for (const block of this.#blocks) {
      joined.forEach((channel, i) => channel.set(block[i] ?? new Float32Array(), at));
      at += block[0]?.length ?? 0;
    }
    this.#post(this.#startFrame, joined);
    this.#blocks = [];
    this.#frames = 0;
  }
}
