import { useSession } from '../studio/session';
import { leaderStarts, leaderStops, usePrompt } from './leader-hands';

const asked: unknown[] = [];
jest.mock('../studio/workers', () => ({
  command: () => undefined,
  hub: {
    atStandIn: (action: unknown) => {
      asked.push(action);
      return Promise.resolve();
    },
  },
}));

const rig = { demo: false, gear: [{ id: 'keys', name: 'Attic keys' }] };
const shows = (leader: string, state: string) => {
  const { snapshot } = useSession.getState();
  useSession.setState({ snapshot: { ...snapshot, leader, state: state as never } });
};
const prompt = () => usePrompt.getState().prompt;

beforeEach(() => {
  useSession.setState({ rig: rig as never });
  shows('hub', 'stopped');
  asked.length = 0;
});

test('real gear is started and stopped by its musician: a prompt says so until it has happened', async () => {
  const starts = leaderStarts('keys', new AbortController().signal);
  expect(prompt()).toBe('Press play on Attic keys.');
  // It leads, but doesn't play yet; then something else plays.
  shows('keys', 'stopped');
  shows('hub', 'rolling');
  expect(prompt()).toBe('Press play on Attic keys.');
  shows('keys', 'rolling');
  await starts;
  expect(prompt()).toBeNull();
  const stops = leaderStops('keys', new AbortController().signal);
  expect(prompt()).toBe('Press stop on Attic keys.');
  shows('keys', 'stopped');
  await stops;
  expect(prompt()).toBeNull();
  expect(asked).toEqual([]);
});

test('cancelled, it waits no longer, and the prompt is gone', async () => {
  const cancel = new AbortController();
  const starts = leaderStarts('keys', cancel.signal);
  cancel.abort();
  await expect(starts).rejects.toThrow('Cancelled.');
  expect(prompt()).toBeNull();
  await expect(leaderStarts('keys', cancel.signal)).rejects.toThrow('Cancelled.');
});

test('the demo’s keyboard needs no prompt', async () => {
  useSession.setState({ rig: { ...rig, demo: true } as never });
  const starts = leaderStarts('vole', new AbortController().signal);
  await Promise.resolve();
  expect(prompt()).toBeNull();
  expect(asked).toEqual([{ kind: 'play' }]);
  shows('vole', 'rolling');
  await starts;
});
