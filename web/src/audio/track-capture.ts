import type { ToMeasure } from '../hub/protocol';
import { FrameBatch } from './frame-batch';
import { TrackClock } from './track-clock';

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
  const batch = new FrameBatch(channels, (startFrame, samples) =>
    toMeasure.postMessage(
      { sampleRate, startFrame, startMs: null, counted: false, channels: samples } satisfies ToMeasure,
      samples.map((channel) => channel.buffer as ArrayBuffer),
    ),
  );
  let closed = false;
  const take = (block: AudioData): boolean => {
    const isSame = block.numberOfChannels === channels && block.sampleRate === sampleRate;
    const { numberOfFrames: frames, timestamp } = block;
    if (isSame) batch.push(clock.frameOf(timestamp / 1000 + shiftMs, frames), samplesOf(block), frames);
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

function samplesOf(block: AudioData): Float32Array[] {
  return Array.from({ length: block.numberOfChannels }, (_, planeIndex) => {
    const samples = new Float32Array(block.numberOfFrames);
    block.copyTo(samples, { planeIndex, format: 'f32-planar' });
    return samples;
  });
}
