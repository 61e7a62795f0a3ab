import { FrameBatch } from './frame-batch';

interface Posted {
  startFrame: number;
  length: number;
  first: (number | undefined)[];
  last: (number | undefined)[];
}

/** Every sample of channel 0 is its frame, of channel 1 its negative. */
function batches(frames: readonly number[], size = 128): Posted[] {
  const posted: Posted[] = [];
  const batch = new FrameBatch(2, (startFrame, [left, right]) =>
    posted.push({
      startFrame,
      length: left!.length,
      first: [left!.at(0), right!.at(0)],
      last: [left!.at(-1), right!.at(-1)],
    }),
  );
  for (const frame of frames) {
    const left = Float32Array.from({ length: size }, (_, i) => frame + i);
    batch.push(frame, [left, left.map((sample) => -sample)], size);
  }
  return posted;
}
const from = (first: number, blocks: number, size = 128) => Array.from({ length: blocks }, (_, i) => first + size * i);

test('blocks are posted 2048 frames at a time, whatever their size', () => {
  for (const size of [128, 480, 1024, 5000]) {
    const posted = batches(from(7, 40, size), size);
    expect(posted).toHaveLength(Math.floor((40 * size) / 2048));
    posted.forEach((one, i) => {
      const startFrame = 7 + 2048 * i;
      const lastFrame = startFrame + 2047;
      expect(one).toEqual({
        startFrame,
        length: 2048,
        first: [startFrame, -startFrame],
        last: [lastFrame, -lastFrame],
      });
    });
  }
});

test('after missing frames, and after a block that comes twice, the next batch begins', () => {
  expect(batches([...from(0, 5), ...from(1024, 16)])).toMatchObject([
    { startFrame: 0, length: 640 },
    { startFrame: 1024, length: 2048 },
  ]);
  expect(batches([...from(0, 5), ...from(512, 16)])).toMatchObject([
    { startFrame: 0, length: 640 },
    { startFrame: 512, length: 2048 },
  ]);
});

test('an input that isn’t connected is silent, and takes as long', () => {
  const posted: number[] = [];
  const batch = new FrameBatch(2, (startFrame, channels) =>
    posted.push(startFrame, ...channels.map((channel) => Math.max(...channel))),
  );
  for (const frame of from(0, 16)) batch.push(frame, [], 128);
  expect(posted).toEqual([0, 0, 0]);
});
