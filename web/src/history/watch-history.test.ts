import { boathouse } from '../store/boathouse';
import { noteEvent } from '../store/events';
import type { HistoryEvent, Rig } from '../store/records';
import { NetworkPorts } from '../ports/network-ports';
import { ports, usePorts } from '../ports/port-registry';
import { useSession } from '../studio/session';
import { watchHistory } from './watch-history';

// Without the session's workers: only its state is needed.
jest.mock('../studio/session', () => {
  const { create } = jest.requireActual<{ create: (make: () => object) => unknown }>('zustand');
  return { useSession: create(() => ({ rig: null, undo: [], redo: [], inputProblem: null, snapshot: {} })) };
});

jest.mock('../store/events', () => ({ noteEvent: jest.fn(() => Promise.resolve()) }));

const rig: Rig = { ...boathouse(), leaders: ['vole', 'hub'] };
const snapshot = (leader: string, sleeps = 0) => ({ leader, sleeps, faults: [] }) as never;
const leads = (leader: string, sleeps = 0) => useSession.setState({ snapshot: snapshot(leader, sleeps) });
const change = (to: Partial<Rig>) =>
  useSession.setState(({ rig: now, undo }) => ({ rig: { ...now!, ...to }, undo: [...undo, now!] }));
const advance = (ms: number) => jest.advanceTimersByTimeAsync(ms);

const written = (): Partial<HistoryEvent>[] => {
  const events = jest.mocked(noteEvent).mock.calls.map(([event]) => event);
  jest.mocked(noteEvent).mockClear();
  return events;
};

beforeAll(() => {
  jest.useFakeTimers();
  Object.defineProperty(globalThis, 'window', { value: { addEventListener: () => undefined } });
  useSession.setState({ rig, snapshot: snapshot('vole') });
  watchHistory();
});
afterAll(() => jest.useRealTimers());

test('dragging an offset is one entry, from its first value to its last', async () => {
  for (const offsetMs of [-1, -2.5, -12.3]) {
    change({ gear: rig.gear.map((gear) => (gear.id === 'porch' ? { ...gear, offsetMs } : gear)) });
    await advance(500);
  }
  await advance(3000);
  expect(written()).toMatchObject([
    { kind: 'offsets', gearIds: ['porch'], moves: [{ name: 'Porch beat box', fromMs: 0, toMs: -12.3 }] },
  ]);
});

test('a change undone before it settles isn’t logged', async () => {
  change({ bpm: 120 });
  await advance(1000);
  change({ bpm: rig.bpm });
  await advance(3000);
  expect(written()).toEqual([]);
});

test('loading a rig isn’t a change, nor is resetting it', async () => {
  useSession.setState({ rig: { ...rig, bpm: 99 }, undo: [], redo: [] });
  await advance(5000);
  expect(written()).toEqual([]);
});

test('a network peer that drops out and returns is logged once each time, though it is two ports', () => {
  const network = new NetworkPorts();
  ports.add(network);
  const jetty = [{ key: 'jetty', name: 'Jetty' }];
  network.show(jetty, new Set(['jetty']));
  expect(usePorts.getState()).toMatchObject({ outputs: [{ connected: true }], inputs: [{ connected: true }] });
  written();
  network.show(jetty, new Set());
  network.show(jetty, new Set(['jetty']));
  expect(written().map(({ lines }) => lines)).toEqual([
    ['Port Jetty (network) disconnected.'],
    ['Port Jetty (network) reconnected.'],
  ]);
});

test('losing a leader is a fault, and so is its return; a manual change isn’t', () => {
  leads('hub');
  leads('vole');
  change({ leaders: ['hub', 'vole'] });
  leads('hub');
  const [lost, again, order] = written();
  expect(lost).toMatchObject({
    kind: 'fault',
    lines: ['Lost sync from Vole keyboard. New leader: the hub.'],
    gearIds: ['vole'],
  });
  expect(again).toMatchObject({ lines: ['Back to leader Vole keyboard; the hub had taken over.'] });
  expect(order).toBeUndefined();
});

test('late messages in a row are one entry with their count; sleep is logged too', async () => {
  await advance(20_000);
  written();
  usePorts.setState({ lateMessages: 3 });
  usePorts.setState({ lateMessages: 12 });
  leads('hub', 1);
  await advance(10_000);
  await advance(10_000);
  expect(written().flatMap(({ lines }) => lines)).toEqual([
    '12 messages went out late. Close other tabs and programs if this keeps happening.',
    expect.stringContaining('The computer slept'),
  ]);
});

test('a wire that the hub silenced is one fault, with the reason', () => {
  const silenced = { leader: 'hub', sleeps: 0, faults: [{ feedId: 'none', reason: 'No such timecode.' }] } as never;
  useSession.setState({ snapshot: silenced });
  useSession.setState({ snapshot: { ...(silenced as object) } as never });
  expect(written()).toMatchObject([{ kind: 'fault', lines: ['Nothing more is sent to one port: No such timecode.'] }]);
});

test('a disconnected input is a fault with the message shown', () => {
  useSession.setState({ inputProblem: 'The audio input went away.' });
  expect(written()).toMatchObject([{ kind: 'fault', lines: ['The audio input went away.'] }]);
});
