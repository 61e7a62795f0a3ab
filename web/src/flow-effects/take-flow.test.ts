import 'fake-indexeddb/auto';
import type { HubSnapshot } from '@metronomo/core';
import { boathouse } from '../store/boathouse';
import { database } from '../store/database';
import type { Take } from '../store/records';
import { useSession } from '../studio/session';
import { alignAll, useAlignFlow } from './align-flow';
import { runCalibration, runStarts } from './experiments';
import { endTake } from './take-desk';
import { useTakeFlow } from './take-state';
import { runTake } from './take-flow';

/** The studio's workers, as far as a take knows them. */
const room = {
  said: [] as { kind: string; feedIds?: string[] | null }[],
  recording: null as { take: Take; fromMs: number; toMs: number; resolve: (take: Take) => void } | null,
  leaving: [] as (() => Promise<void>)[],
  /** How a stop or a play changes the hub; null if it hangs. */
  obeys: true,
  /** Storage is full. */
  full: false,
  bufferMs: null as number | null,
};
const frames = 48_000;
const report = {
  believable: true,
  ci95Ms: [11.9, 12.1],
  medianMs: 12,
  spreadMs: 0.1,
  matched: 24,
  missed: 0,
  extra: 0,
};

jest.mock('../audio/engine', () => ({ audioBufferMs: () => room.bufferMs }));
jest.mock('../studio/input', () => ({
  inputDesk: { withClickOnTime: (measurement: () => unknown) => measurement() },
}));
jest.mock('../studio/rig', () => ({
  onLeavingRig: (end: () => Promise<void>) => {
    room.leaving = [end];
    return () => undefined;
  },
  changeRig: () => Promise.resolve(),
}));
jest.mock('../studio/workers', () => {
  const command = (order: { kind: string }) => {
    room.said.push(order);
    if (room.obeys && (order.kind === 'play' || order.kind === 'stop')) roll(order.kind === 'play');
    return Promise.resolve();
  };
  const nothing = () => Promise.resolve();
  const hub = {
    command,
    ...{
      setSong: nothing,
      setFeeds: nothing,
      setSources: nothing,
      setRoutes: nothing,
      setLeaders: nothing,
      watchSignals: nothing,
    },
    barsAhead: (bars: number) =>
      Promise.resolve({
        bpm: 97,
        beatsMs: Array.from({ length: bars * 3 }, (_, i) => 10_000 + i * 600),
        barsMs: Array.from({ length: bars + 1 }, (_, i) => 10_000 + i * 1800),
      }),
  };
  const measure = {
    record: (take: Take, fromMs: number, toMs: number) =>
      new Promise<Take>((resolve) => (room.recording = { take, fromMs, toMs, resolve })),
    endTake: (ending: string) => {
      const { take, resolve } = room.recording ?? {};
      if (take) resolve?.({ ...take, status: 'interrupted', ending, frames });
      return Promise.resolve();
    },
    keepTake: async (take: Take) => {
      const measured = { ...take, lines: take.lines.map((line) => ({ ...line, report })) };
      if (!room.full) await database.takes.put(measured as Take);
      return { take: measured, saved: !room.full };
    },
    planTake: nothing,
    completeTake: () => {
      done();
      return Promise.resolve();
    },
  };
  return { hub, measure, command: (order: { kind: string }) => void command(order) };
});

const snapshot = (state: HubSnapshot['state']) => ({ ...useSession.getState().snapshot, state });
function roll(rolls: boolean): void {
  useSession.setState({ snapshot: snapshot(rolls ? 'rolling' : 'stopped') });
}
function done(): void {
  const { take, resolve } = room.recording ?? {};
  if (take) resolve?.({ ...take, status: 'done', frames });
}
const settings = { gearIds: ['porch', 'tide'], bars: 8, drive: 'clock' as const, proof: false };
const input = { label: 'Boathouse interface', channels: 14, sampleRate: 48_000 };
const settled = async () => {
  for (let i = 0; i < 20; i++) await Promise.resolve();
};
const recordingBegan = async () => {
  while (!room.recording) await new Promise((resolve) => setImmediate(resolve));
};
const states = () => room.said.map(({ kind }) => kind).filter((kind) => kind !== 'solo');

beforeEach(() => {
  Object.assign(room, { said: [], recording: null, obeys: true, full: false, bufferMs: null });
  (globalThis as { __APP_VERSION__?: string }).__APP_VERSION__ = 'test';
  useSession.setState({ rig: boathouse(), experiment: {}, input, inputProblem: null, lost: null });
  roll(false);
});

test('a take plays, records exactly the bars that the hub names, stores its tempo, and stops', async () => {
  const going = runTake(settings);
  await recordingBegan();
  const { take, fromMs, toMs } = room.recording!;
  // 8 bars of 3 beats: from 60 ms before the first beat to 80% of the last.
  expect([fromMs, toMs]).toEqual([10_000 - 60, 10_000 + 23 * 600 + 0.8 * 600]);
  expect(take.bpm).toBe(97);
  done();
  const { result, problem } = await going;
  expect([result?.status, problem]).toEqual(['done', null]);
  expect(states()).toEqual(['play', 'stop']);
  expect(useTakeFlow.getState().flow).toEqual({ state: 'idle', problem: null });
});

test('finished early while the hub is still starting, no recording begins', async () => {
  room.obeys = false;
  const going = runTake(settings);
  await settled();
  endTake();
  room.obeys = true;
  roll(false);
  expect(await going).toMatchObject({ result: null, ended: true });
  expect(room.recording).toBeNull();
  expect(states().at(-1)).toBe('stop');
});

test.each<[string, () => void, RegExp]>([
  ['the hub stops', () => roll(false), /The hub stopped during the take/],
  [
    'the input is disconnected',
    () => useSession.setState({ input: null, inputProblem: 'The audio input was disconnected.' }),
    /input was disconnected/,
  ],
  ['the hub is lost', () => useSession.setState({ lost: { which: 'hub', why: 'The hub stopped.' } }), /was restarted/],
  ['another rig is opened', () => room.leaving.forEach((leave) => void leave()), /Another rig was opened/],
  ['the musician has enough', endTake, /finished early/],
])('when %s during the recording, what there is is kept with the reason', async (_, happens, why) => {
  const going = runTake(settings);
  await recordingBegan();
  happens();
  const { result } = await going;
  expect(result).toMatchObject({ status: 'interrupted', frames });
  expect(result!.ending).toMatch(why);
  expect(useTakeFlow.getState().flow).toMatchObject({ state: 'idle', problem: expect.stringMatching(why) as string });
});

test('a take that storage has no room for gives what was captured, and the reason', async () => {
  const going = runTake(settings);
  await recordingBegan();
  const ending = 'Browser storage is full, so the take ended early.';
  const { take, resolve } = room.recording!;
  room.full = true;
  resolve({ ...take, status: 'interrupted', ending, frames });
  expect((await going).result).toMatchObject({ status: 'interrupted', frames, ending });
});

test('opening another rig waits until the take is stored', async () => {
  const going = runTake(settings);
  await recordingBegan();
  const order: string[] = [];
  const left = Promise.all(room.leaving.map((leave) => leave())).then(() => order.push('left'));
  void going.then(() => order.push('stored'));
  await Promise.all([going, left]);
  expect(order).toEqual(['left', 'stored'].sort());
  expect(useTakeFlow.getState().flow.state).toBe('idle');
});

test('by notes, the followers get notes until the take is over, and then their clock again', async () => {
  const going = runTake({ ...settings, drive: 'notes' });
  await recordingBegan();
  expect(useSession.getState().experiment).toEqual({ byNotes: settings.gearIds });
  done();
  await going;
  expect(useSession.getState().experiment).toEqual({});
});

test('one device at a time: each is soloed in its turn; afterwards nobody is', async () => {
  // Just before the first bar that the hub names.
  const clock = jest.spyOn(performance, 'now').mockReturnValue(9000);
  const going = runTake({ ...settings, bars: 4, onChannel: 13 });
  await recordingBegan();
  const { take } = room.recording!;
  expect(take.lines.map(({ channel, within }) => [channel, within])).toEqual([
    [13, [9940, 10_000 + 11 * 600 + 480]],
    [13, [10_000 + 6 * 1800 - 60, 10_000 + 6 * 1800 + 11 * 600 + 480]],
  ]);
  expect(useSession.getState().experiment.alone).toBe('porch');
  done();
  await going;
  const soloed = room.said.filter(({ kind }) => kind === 'solo').map(({ feedIds }) => feedIds?.[1] ?? null);
  expect([soloed[0], soloed.at(-1)]).toEqual(['porch', null]);
  clock.mockRestore();
});

test('a second take can’t begin while one is under way', async () => {
  const going = runTake(settings);
  await recordingBegan();
  expect(await runTake(settings)).toMatchObject({ result: null, problem: null });
  done();
  expect((await going).result?.status).toBe('done');
});

test('an input that is missing is a sentence, and nothing plays', async () => {
  useSession.setState({ input: null });
  expect(await runTake(settings)).toMatchObject({
    result: null,
    problem: 'No audio input is open. Open one in Rig.',
  });
  expect(states()).not.toContain('play');
});

test('a chase whose hub hangs ends with the reason, and without an unhandled rejection', async () => {
  jest.useFakeTimers({ doNotFake: ['setImmediate'] });
  const unhandled = jest.fn();
  process.on('unhandledRejection', unhandled);
  const gear = boathouse().gear.find(({ id }) => id === 'porch')!;
  const heard = [{ ...gear, returnChannel: 3 }];
  const going = runStarts({ gear: heard, asks: { question: 'chase' }, starts: 2, runMs: 3000, bpm: 120 });
  for (let i = 0; i < 30; i++) {
    room.obeys = room.recording === null;
    await jest.advanceTimersByTimeAsync(500);
  }
  room.obeys = true;
  roll(false);
  await jest.advanceTimersByTimeAsync(30_000);
  await going;
  jest.useRealTimers();
  await new Promise((resolve) => setImmediate(resolve));
  process.off('unhandledRejection', unhandled);
  expect(unhandled).not.toHaveBeenCalled();
  expect(useTakeFlow.getState().flow).toMatchObject({ problem: expect.stringContaining('isn’t stopped') as string });
});

test('a round trip is measured once more after a dropout, and only once', async () => {
  const going = runCalibration(0);
  for (let times = 0; times < 2; times++) {
    await recordingBegan();
    const { take, resolve } = room.recording!;
    room.recording = null;
    resolve({ ...take, status: 'done', frames, gaps: 1 });
  }
  expect(await going).toMatchObject({ status: 'done', gaps: 1 });
  expect(room.recording).toBeNull();
  expect(states()).toEqual(['play', 'stop', 'play', 'stop']);
});

test('an audio buffer that grows during a take doesn’t put the take out of date: its offsets are applied and confirmed', async () => {
  await database.takes.clear();
  room.bufferMs = 60;
  const end = { isOver: false };
  const going = alignAll().finally(() => (end.isOver = true));
  while (!end.isOver && !room.recording?.take.proof) {
    if (room.recording) {
      room.bufferMs += 10;
      done();
    }
    await new Promise((resolve) => setImmediate(resolve));
  }
  expect(end.isOver).toBe(false);
  endTake();
  await going;
  await database.takes.clear();
});

test('Align that is finished early says how to go back', async () => {
  await database.takes.clear();
  const going = alignAll();
  await recordingBegan();
  endTake();
  await going;
  expect(useAlignFlow.getState().flow).toMatchObject({ said: expect.stringContaining('stopped early') as string });
  expect(states().at(-1)).toBe('stop');
});
