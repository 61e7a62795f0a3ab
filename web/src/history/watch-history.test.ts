import { boathouse } from '../store/boathouse';
import { noteEvent } from '../store/events';
import type { HistoryEvent, Rig } from '../store/records';
import { useMidiPorts } from '../hub/midi-ports';
import { useSession } from '../hub/session';
import { watchHistory } from './watch-history';

// The session's workers have no place here: what is watched is what it shows.
jest.mock('../hub/session', () => {
  const { create } = jest.requireActual<{ create: (make: () => object) => unknown }>('zustand');
  return { useSession: create(() => ({ rig: null, undo: [], redo: [], inputProblem: null, snapshot: {} })) };
});

jest.mock('../store/events', () => ({ noteEvent: jest.fn(() => Promise.resolve()) }));

const rig: Rig = { ...boathouse(), leaders: ['vole', 'hub'] };
const snapshot = (leader: string, sleeps = 0) => ({ leader, sleeps }) as never;
const leads = (leader: string, sleeps = 0) => useSession.setState({ snapshot: snapshot(leader, sleeps) });
const change = (to: Partial<Rig>) =>
  useSession.setState(({ rig: now, undo }) => ({ rig: { ...now!, ...to }, undo: [...undo, now!] }));
const later = (ms: number) => jest.advanceTimersByTimeAsync(ms);

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

test('an offset that is dragged is one entry, from where it was to where it came to rest', async () => {
  for (const offsetMs of [-1, -2.5, -12.3]) {
    change({ gear: rig.gear.map((gear) => (gear.id === 'porch' ? { ...gear, offsetMs } : gear)) });
    await later(500);
  }
  await later(3000);
  expect(written()).toMatchObject([
    { kind: 'offsets', gearIds: ['porch'], moves: [{ name: 'Porch beat box', fromMs: 0, toMs: -12.3 }] },
  ]);
});

test('a change that is taken back before it came to rest is nothing to write down', async () => {
  change({ bpm: 120 });
  await later(1000);
  change({ bpm: rig.bpm });
  await later(3000);
  expect(written()).toEqual([]);
});

test('a rig that is taken up is no change, also the same one reset', async () => {
  useSession.setState({ rig: { ...rig, bpm: 99 }, undo: [], redo: [] });
  await later(5000);
  expect(written()).toEqual([]);
});

test('a leader that is lost is a fault, and so is that it leads again; another order by hand is none', () => {
  leads('hub');
  leads('vole');
  change({ leaders: ['hub', 'vole'] });
  leads('hub');
  const [lost, again, order] = written();
  expect(lost).toMatchObject({
    kind: 'fault',
    lines: ['Vole keyboard was lost; the hub leads now.'],
    gearIds: ['vole'],
  });
  expect(again).toMatchObject({ lines: ['Vole keyboard leads again; the hub led meanwhile.'] });
  expect(order).toBeUndefined();
});

test('a row of late messages is one entry with how many; and that the computer slept', async () => {
  await later(20_000);
  written();
  useMidiPorts.setState({ lateMessages: 3 });
  useMidiPorts.setState({ lateMessages: 12 });
  leads('hub', 1);
  await later(10_000);
  await later(10_000);
  expect(written().flatMap(({ lines }) => lines)).toEqual([
    '12 messages were handed to a port after they were due.',
    expect.stringContaining('This computer was away'),
  ]);
});

test('an input that goes away is a fault in the words that are shown', () => {
  useSession.setState({ inputProblem: 'The audio input went away.' });
  expect(written()).toMatchObject([{ kind: 'fault', lines: ['The audio input went away.'] }]);
});
