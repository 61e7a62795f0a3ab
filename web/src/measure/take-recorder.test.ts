import 'fake-indexeddb/auto';
import { database } from '../store/database';
import type { Take } from '../store/records';
import { deleteTake, listTakes, loadSound, markInterrupted } from '../store/takes';
import { TakeRecorder } from './take-recorder';

const RATE = 8000;
const BLOCK = 800;
let number = 0;

const newTake = (): Take => ({
  id: `take-${++number}`,
  rigId: 'rig',
  startedAt: number,
  kind: 'take',
  gearIds: [],
  source: 'live',
  proof: false,
  status: 'recording',
  sampleRate: 0,
  frames: 0,
  bpm: 120,
  drive: 'clock',
  input: '',
  beats: { clickChannel: 0 },
  lines: [],
});

/** A block whose samples encode their frame number. */
function push(recorder: TakeRecorder, startFrame: number, sampleRate = RATE): void {
  const samples = Float32Array.from({ length: BLOCK }, (_, i) => (startFrame + i) / 100_000);
  recorder.push([samples, samples.map((sample) => -sample)], sampleRate, startFrame, (startFrame / RATE) * 1000);
}

test('from one moment to another, frame by frame, in chunks that fit together', async () => {
  const take = newTake();
  const told: number[] = [];
  const recorder = new TakeRecorder(take, 250, 3250, ({ capturedSeconds }) => told.push(capturedSeconds));
  for (let frame = 0; frame < 4 * RATE; frame += BLOCK) push(recorder, frame);
  const done = await recorder.done;
  expect(done).toMatchObject({ status: 'done', sampleRate: RATE, frames: 3.3 * RATE - 250 * 8 });
  const [first, second] = await loadSound(take.id);
  expect(first!.length).toBe(done.frames);
  expect(first![0]).toBeCloseTo((250 * 8) / 100_000, 7);
  expect(first!.every((sample, i) => i === 0 || sample > first![i - 1]!)).toBe(true);
  expect(second![100]).toBeCloseTo(-first![100]!, 9);
  expect(told.at(-1)).toBeCloseTo(done.frames / RATE, 9);
});

test('a gap in the audio is filled with silence and counted, to keep the time', async () => {
  const take = newTake();
  const recorder = new TakeRecorder(take, 0, 1000, () => undefined);
  for (let frame = 0; frame < RATE; frame += BLOCK) if (frame !== 3 * BLOCK) push(recorder, frame);
  const done = await recorder.done;
  expect(done).toMatchObject({ status: 'done', gaps: 1, frames: RATE });
  const [sound] = await loadSound(take.id);
  expect(sound!.slice(3 * BLOCK, 4 * BLOCK).every((sample) => sample === 0)).toBe(true);
  expect(sound![4 * BLOCK]).toBeCloseTo((4 * BLOCK) / 100_000, 7);
});

test('frames that come once more are left out and counted, to keep the time', async () => {
  const take = newTake();
  const recorder = new TakeRecorder(take, 0, 1000, () => undefined);
  for (let frame = 0; frame < RATE; frame += BLOCK) {
    push(recorder, frame);
    // As a busy computer delivers it: a part of a block, and a whole one.
    if (frame === 3 * BLOCK) push(recorder, frame + BLOCK / 2);
    if (frame === 5 * BLOCK) push(recorder, frame);
  }
  const done = await recorder.done;
  expect(done).toMatchObject({ status: 'done', gaps: 3, frames: RATE });
  const [sound] = await loadSound(take.id);
  expect(sound!.every((sample, i) => Math.abs(sample - i / 100_000) < 1e-6)).toBe(true);
});

test.each([
  ['a changed sample rate', (recorder: TakeRecorder) => push(recorder, 2 * BLOCK, 44_100), /sample rate changed/],
  ['a hole of more than two seconds', (recorder: TakeRecorder) => push(recorder, 3 * RATE), /dropped out/],
  ['the musician', (recorder: TakeRecorder) => recorder.end('ended early'), /ended early/],
])('%s ends it; what was captured is kept', async (_, trouble, why) => {
  const take = newTake();
  const recorder = new TakeRecorder(take, 0, 9000, () => undefined);
  push(recorder, 0);
  push(recorder, BLOCK);
  trouble(recorder);
  const done = await recorder.done;
  expect(done).toMatchObject({ status: 'interrupted', frames: 2 * BLOCK });
  expect(done.ending).toMatch(why);
  expect((await loadSound(take.id))[0]).toHaveLength(2 * BLOCK);
});

test('an input that goes silent ends it; one that pauses doesn’t', async () => {
  const recorder = new TakeRecorder(newTake(), 0, 9000, () => undefined);
  push(recorder, 0);
  recorder.watch(100);
  recorder.watch(4900);
  push(recorder, BLOCK);
  for (const atMs of [5000, 9000, 10_001]) recorder.watch(atMs);
  const done = await recorder.done;
  expect(done).toMatchObject({ status: 'interrupted', frames: 2 * BLOCK });
  expect(done.ending).toMatch(/No audio arrived/);
});

test('a take interrupted by closing the page is marked once, and keeps what it has', async () => {
  await database.takes.clear();
  await database.sound.clear();
  const take = newTake();
  const recorder = new TakeRecorder(take, 0, 60_000, () => undefined);
  for (let frame = 0; frame < 3 * RATE; frame += BLOCK) push(recorder, frame);
  while ((await database.sound.count()) < 4) await new Promise((resolve) => setTimeout(resolve));
  expect(await markInterrupted('The page was closed.')).toEqual([take.id]);
  expect(await database.takes.get(take.id)).toMatchObject({
    status: 'interrupted',
    sampleRate: RATE,
    ending: expect.stringMatching(/closed/),
  });
  expect((await loadSound(take.id))[0]!.length).toBeGreaterThanOrEqual(2 * RATE);
});

test('deleting a take deletes its audio, and undo restores both', async () => {
  await database.takes.clear();
  const take = newTake();
  const recorder = new TakeRecorder(take, 0, 500, () => undefined);
  for (let frame = 0; frame < RATE; frame += BLOCK) push(recorder, frame);
  await database.takes.put(await recorder.done);
  const before = await loadSound(take.id);
  const restore = await deleteTake(take.id);
  expect(await listTakes('rig')).toEqual([]);
  expect(await loadSound(take.id)).toEqual([]);
  await restore();
  expect((await listTakes('rig')).map(({ id }) => id)).toEqual([take.id]);
  expect(await loadSound(take.id)).toEqual(before);
});
