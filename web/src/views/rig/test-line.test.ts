import { MidiParser, type LineTest, type MidiMessage } from '@metronomo/core';
import { gear } from '../../store/gear';
import { LineTestError, testLine } from './test-line';

const room = {
  state: 'stopped',
  /** What comes in all the time, and what has come in besides and was not asked for yet. */
  chatter: [] as MidiMessage[],
  arrived: [] as MidiMessage[],
  answer: null as MidiMessage | null,
  sent: [] as { portId: string; bytes: Uint8Array; atMs: number }[],
  lastHitMs: null as number | null,
  hits: false,
  tested: {} as Record<string, { answer: string }>,
  clockRuns: false,
};

jest.mock('../../hub/session', () => ({
  useSession: {
    getState: () => ({
      snapshot: { state: room.state },
      live: { readings: [{}, { lastHitMs: room.lastHitMs }] },
      rig: { gear: [gear({ id: 'box', name: 'Box', clockWhileStopped: room.clockRuns })] },
    }),
  },
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

test('gear that sounds is heard, and the answer is kept with the line', async () => {
  room.hits = true;
  expect(await run(line({ hearsAt: 1 }))).toBe('sound');
  expect(room.tested).toMatchObject({ c: { kind: 'clock burst', answer: 'sound' } });
  expect(room.sent.filter(({ bytes }) => bytes[0] === 0xf8)).toHaveLength(48);
});

test('gear that says who it is answers by MIDI; what only echoes the request does not', async () => {
  room.answer = reply;
  expect(await run(line({ answersAt: 'midi:in' }), 'identity request')).toBe('midi');
  room.answer = new MidiParser().push(Uint8Array.of(0xf0, 0x7e, 0x7f, 6, 1, 0xf7), 0)[0]!.message;
  expect(await run(line({ answersAt: 'midi:in' }), 'identity request')).toBe('nothing');
});

test('silence is told as no answer', async () => {
  expect(await run(line({ hearsAt: 1 }))).toBe('nothing');
  expect(room.tested).toMatchObject({ c: { answer: 'nothing' } });
});

test('what came in all the time before answers nothing: then somebody has to look', async () => {
  room.chatter = [{ kind: 'clock' }];
  expect(await run(line({ answersAt: 'midi:in' }))).toBe('ask');
  expect(room.tested).toEqual({});
});

test('where nothing comes back at all, the musician is asked; and what no ear hears is not waited for by ear', async () => {
  expect(await run(line())).toBe('ask');
  room.hits = true;
  expect(await run(line({ hearsAt: 1 }), 'full frame')).toBe('ask');
});

test('a line on which the clock runs already gets no second one', async () => {
  room.clockRuns = true;
  await run(line());
  expect(room.sent.map(({ bytes }) => bytes[0])).toEqual([0xfa, 0xfc]);
});

test('while it rolls, nothing is sent', async () => {
  room.state = 'rolling';
  await expect(testLine(line(), 'note')).rejects.toThrow(LineTestError);
  expect(room.sent).toEqual([]);
});
