import type { ToMeasure } from '../hub/protocol';
import { captureTrack } from './track-capture';

const RATE = 48_000;
const FRAMES = 1024;

interface Block {
  numberOfChannels: number;
  sampleRate: number;
  numberOfFrames: number;
  timestamp: number;
  copyTo(samples: Float32Array, options: { planeIndex: number }): void;
  close(): void;
}

let blocks: ReadableStreamDefaultController<Block>;
beforeEach(() => {
  const processor = class {
    readable = new ReadableStream<Block>({ start: (controller) => void (blocks = controller) });
  };
  Object.defineProperty(globalThis, 'MediaStreamTrackProcessor', { value: processor, configurable: true });
});
afterEach(() => jest.useRealTimers());

/** Every channel holds its own number. */
const block = (i: number, fromMs: number, channels = 3): Block => ({
  numberOfChannels: channels,
  sampleRate: RATE,
  numberOfFrames: FRAMES,
  timestamp: 1000 * (fromMs + (i * FRAMES * 1000) / RATE),
  copyTo: (samples, { planeIndex }) => void samples.fill(planeIndex + 1),
  close: () => undefined,
});
const posted: ToMeasure[] = [];
const port = { postMessage: (message: ToMeasure) => posted.push(message), close: () => undefined };
const capture = (onEnd: () => void = () => undefined) =>
  captureTrack({} as MediaStreamTrack, port as unknown as MessagePort, onEnd);
const settled = () => new Promise((resolve) => setImmediate(resolve));

beforeEach(() => void posted.splice(0));

test('every channel arrives as its own, in batches without gaps, and not counted as frames of the audio context', async () => {
  const captured = capture();
  const nowMs = performance.now();
  for (let i = 0; i < 6; i++) blocks.enqueue(block(i, nowMs));
  expect(await captured).toMatchObject({ channels: 3, sampleRate: RATE });
  await settled();
  expect(posted.map(({ startFrame }) => startFrame)).toEqual([0, 2 * FRAMES, 4 * FRAMES]);
  for (const { channels, counted } of posted) {
    expect(counted).toBe(false);
    expect(channels.map((channel) => [channel.length, channel[0], channel.at(-1)])).toEqual([
      [2 * FRAMES, 1, 1],
      [2 * FRAMES, 2, 2],
      [2 * FRAMES, 3, 3],
    ]);
  }
  expect(Math.abs((await captured)!.zeroMs() - nowMs)).toBeLessThan(1);
});

test('capture times that count from another origin are brought onto the window’s clock', async () => {
  const captured = capture();
  const nowMs = performance.now();
  blocks.enqueue(block(0, nowMs + 9e8));
  expect(Math.abs((await captured)!.zeroMs() - nowMs)).toBeLessThan(500);
});

test('a format that changes ends it, and so does the track; closing it does not count as a loss', async () => {
  for (const end of [() => blocks.enqueue(block(1, performance.now(), 2)), () => blocks.close()]) {
    let ended = 0;
    const captured = capture(() => ended++);
    blocks.enqueue(block(0, performance.now()));
    await captured;
    end();
    await settled();
    expect(ended).toBe(1);
  }
  let ended = 0;
  const captured = capture(() => ended++);
  blocks.enqueue(block(0, performance.now()));
  (await captured)!.close();
  await settled();
  expect(ended).toBe(0);
});

test('a track that delivers nothing for five seconds is given up', async () => {
  jest.useFakeTimers({ doNotFake: ['setImmediate', 'queueMicrotask', 'nextTick'] });
  const captured = capture();
  await jest.advanceTimersByTimeAsync(5000);
  expect(await captured).toBeNull();
});
