import { MidiParser, type LineTest, type MidiMessage } from '@metronomo/core';
import { gear } from '../store/gear';
import { LineTestError, testLine } from './test-line';

const room = {
  state: 'stopped',
  /** Messages that arrive all the time, and pending ones. */
  chatter: [] as MidiMessage[],
  arrived: [] as MidiMessage[],
  answer: null as MidiMessage | null,
  sent: [] as { portId: string; bytes: Uint8Array; atMs: number }[],
  lastHitMs: null as number | null,
  hits: false,
  tested: {} as Record<string, { answer: string }>,
  clockRuns: false,
};

jest.mock('../ports/port-registry', () => ({ ports: { onChange: () => () => undefined } }));
jest.mock('../studio/session', () => ({
  useSession: {
    subscribe: () => () => undefined,
    getState: () => ({
      snapshot: { state: room.state },
      live: { readings: [{}, { lastHitMs: room.lastHitMs }] },
      rig: { gear: [gear({ id: 'box', name: 'Box', clockWhileStopped: room.clockRuns })] },
    }),
  },
}));
jest.mock('../studio/workers', () => ({
  hub: {
    keepArrivals: () =>
      Promise.resolve([...room.chatter, ...room.arrived.splice(0)].map((message) => ({ message, atMs: 0 }))),
    sendTest: (messages: typeof room.sent) => {
      room.sent.push(...messages);
      if (room.answer) room.arrived.push(room.answer);
      if (room.hits) room.lastHitMs = messages[0]!.atMs + 14;
      return Promise.resolve();
    },
  },
}));
jest.mock('../studio/rig', () => ({
  onLeavingRig: () => () => undefined,
  changeRig: (change: (rig: object) => { tested: typeof room.tested }) => {
    room.tested = change({ tested: room.tested }).tested;
    return Promise.resolve();
  },
}));

const line = (change: Partial<LineTest> = {}): LineTest => ({
  cableId: 'c',
  gearId: 'box',
  portId: 'midi:1',
  kinds: ['clock burst', 'note', 'identity request'],
  hearsAt: null,
  answersAt: null,
  ...change,
});
const reply = new MidiParser().push(Uint8Array.of(0xf0, 0x7e, 0, 6, 2, 0x7d, 0, 0, 0, 0, 0, 0, 0, 0, 0xf7), 0)[0]!
  .message;

beforeEach(() => {
  Object.assign(room, {
    state: 'stopped',
    arrived: [],
    answer: null,
    sent: [],
    lastHitMs: null,
    hits: false,
    tested: {},
  });
  room.clockRuns = false;
  jest.useFakeTimers();
});
afterEach(() => jest.useRealTimers());

/** Runs a test in virtual time. */
async function run(test: LineTest, kind = test.kinds[0]!) {
  const answer = testLine(test, kind);
  await jest.advanceTimersByTimeAsync(6000);
  return answer;
}

test('a device that sounds passes, and the result is stored with the line', async () => {
  room.hits = true;
  expect(await run(line({ hearsAt: 1 }))).toBe('sound');
  expect(room.tested).toMatchObject({ c: { kind: 'clock burst', answer: 'sound' } });
  expect(room.sent.filter(({ bytes }) => bytes[0] === 0xf8)).toHaveLength(48);
});

test('a device that identifies itself passes by MIDI; an echo of the request doesn’t', async () => {
  room.answer = reply;
  expect(await run(line({ answersAt: 'midi:in' }), 'identity request')).toBe('midi');
  room.answer = new MidiParser().push(Uint8Array.of(0xf0, 0x7e, 0x7f, 6, 1, 0xf7), 0)[0]!.message;
  expect(await run(line({ answersAt: 'midi:in' }), 'identity request')).toBe('nothing');
});

test('silence is no response', async () => {
  expect(await run(line({ hearsAt: 1 }))).toBe('nothing');
  expect(room.tested).toMatchObject({ c: { answer: 'nothing' } });
});

test('messages that arrive all the time aren’t a response: then somebody has to look', async () => {
  room.chatter = [{ kind: 'clock' }];
  expect(await run(line({ answersAt: 'midi:in' }))).toBe('ask');
  expect(room.tested).toEqual({});
});

test('without any return the musician is asked; without an audio return nothing is waited for', async () => {
  expect(await run(line())).toBe('ask');
  room.hits = true;
  expect(await run(line({ hearsAt: 1 }), 'full frame')).toBe('ask');
});

test('a line with a running clock gets no second one', async () => {
  room.clockRuns = true;
  await run(line());
  expect(room.sent.map(({ bytes }) => bytes[0])).toEqual([0xfa, 0xfc]);
});

test('nothing is sent during playback', async () => {
  room.state = 'rolling';
  await expect(testLine(line(), 'note')).rejects.toThrow(LineTestError);
  expect(room.sent).toEqual([]);
});
