import type { Hit } from '@metronomo/core';
import { boathouse } from '../store/boathouse';
import { factsOf, gear } from '../store/gear';
import { useSession } from '../studio/session';
import { endSearch, findClick, forgetTried, portThatPlays, tryOutputs, useSetUp } from './set-up-flow';

const room = { sent: [] as { portId: string; bytes: Uint8Array; atMs: number }[], heard: new Map<number, Hit[]>() };
jest.mock('../studio/workers', () => ({
  hub: { sendTest: (messages: typeof room.sent) => Promise.resolve(void room.sent.push(...messages)) },
  measure: { hitsOn: (channel: number) => Promise.resolve(room.heard.get(channel) ?? []) },
}));
jest.mock('../studio/controls', () => ({ controlDesk: { stopLearning: () => undefined } }));
jest.mock('./experiments', () => ({ runCalibration: () => Promise.resolve(null) }));

const PORTS = ['a', 'b', 'c'].map((id) => ({ id, name: id.toUpperCase() }));
const drums = { ...gear({ id: 'drums', name: 'Drums' }), ...factsOf('beatBox') };
const pass = (ms: number) => jest.advanceTimersByTimeAsync(ms);
const trying = () => useSetUp.getState().trying?.port.id ?? null;
const firstBeatMs = () => useSetUp.getState().trying?.beatsMs[0] ?? NaN;

beforeEach(() => {
  jest.useFakeTimers();
  room.sent.length = 0;
  room.heard.clear();
  useSession.setState({ rig: boathouse(), input: { label: 'Attic', channels: 3, sampleRate: 48_000 }, live: null });
  forgetTried();
});
afterEach(() => {
  endSearch();
  jest.useRealTimers();
});

test('a bar is played on one output after the other, and each that nobody heard is noted', async () => {
  void tryOutputs(drums, PORTS);
  await pass(20_000);
  expect(useSetUp.getState().tried).toEqual({ a: 'nothing', b: 'nothing', c: 'nothing' });
  const starts = room.sent.filter(({ bytes }) => bytes[0] === 0xfa).map(({ portId }) => portId);
  expect(starts).toEqual(['a', 'b', 'c']);
});

test('who presses after the first beat means this output; before it, the one whose bar has just ended', async () => {
  void tryOutputs(drums, PORTS);
  await pass(1);
  await pass(firstBeatMs() - performance.now() + 400);
  expect(portThatPlays()?.id).toBe('a');
  while (trying() === 'a') await pass(50);
  expect(trying()).toBe('b');
  expect(portThatPlays()?.id).toBe('a');
  await pass(firstBeatMs() - performance.now() + 300);
  expect(portThatPlays()?.id).toBe('b');
});

test('an output that was turned down isn’t taken for the one before', async () => {
  void tryOutputs(drums, [PORTS[2]!]);
  await pass(1);
  expect(portThatPlays()?.id).toBe('c');
});

test('a bar that is heard ends the search with its evidence; a paused one ends with a stop', async () => {
  void tryOutputs(drums, PORTS);
  await pass(1);
  const { beatsMs } = useSetUp.getState().trying!;
  room.heard.set(
    2,
    beatsMs.map((ms) => ({ atMs: ms + 21, level: 0.5 })),
  );
  while (trying() !== null) await pass(100);
  expect(useSetUp.getState().answer).toMatchObject({ port: { id: 'a' }, heard: { channel: 2, heard: 4 } });
  void tryOutputs(drums, PORTS);
  await pass(1500);
  room.sent.length = 0;
  endSearch();
  await pass(5000);
  expect(room.sent.map(({ bytes }) => bytes[0])).toContain(0xfc);
  expect(room.sent.map(({ bytes }) => bytes[0])).not.toContain(0xf8);
  expect(trying()).toBeNull();
});

test('a search for the click that is left can be begun again', async () => {
  const found = findClick();
  await pass(500);
  expect(useSetUp.getState().click).toBe('listening');
  endSearch();
  await pass(500);
  expect(await found).toBeNull();
  expect(useSetUp.getState().click).toBe('unknown');
});
