import { boathouse } from '../store/boathouse';
import type { Rig } from '../store/records';
import { HubPlan, settingsFor } from './hub-plan';
import { useSession } from './session';

jest.mock('./workers', () => ({ hub: {} }));

const rig = boathouse();
const porch = rig.gear.find(({ id }) => id === 'porch')!;

/** A hub that notes what it is set to, in order. */
function noting() {
  const said: [string, unknown][] = [];
  const note = (name: string) => (value: unknown) => {
    said.push([name, value]);
    return Promise.resolve();
  };
  const names = ['setSong', 'setFeeds', 'setSources', 'setRoutes', 'setLeaders', 'watchSignals', 'command'] as const;
  const hub = Object.fromEntries(names.map((name) => [name, note(name)]));
  return { hub: hub as never, said };
}

beforeEach(() => useSession.setState({ rig, experiment: {} }));

test('a checklist item ticked during a take by notes leaves the follower on notes', async () => {
  const { hub, said } = noting();
  const plan = new HubPlan();
  useSession.setState({ experiment: { byNotes: ['porch'] } });
  await plan.apply(hub);
  const ticked: Rig = { ...rig, gear: rig.gear.map((one) => ({ ...one })) };
  useSession.setState({ rig: ticked });
  await plan.apply(hub);
  const feeds = settingsFor(ticked, useSession.getState().experiment).feeds;
  expect(feeds.find(({ id }) => id === 'porch')!.settings).toMatchObject({ sends: { clock: false } });
  expect(feeds.some(({ id }) => id === porch.portId)).toBe(false);
  // Nothing that the hub is set to has changed, so the wire isn't interrupted.
  expect(said.filter(([name]) => name === 'setFeeds')).toHaveLength(1);
});

test('a tempo typed during a tempo test waits until the test is over', async () => {
  const { hub, said } = noting();
  const plan = new HubPlan();
  const song = { tempo: [{ beat: 0, bpm: 90 }] };
  useSession.setState({ experiment: { song } });
  await plan.apply(hub);
  useSession.setState({ rig: { ...rig, bpm: 133 } });
  await plan.apply(hub);
  expect(said.filter(([name]) => name === 'setSong')).toEqual([['setSong', song]]);
  useSession.setState({ experiment: {} });
  await plan.apply(hub);
  expect(said.filter(([name]) => name === 'setSong')).toHaveLength(2);
});

test('alone on a shared input: only the click and the device are sent', () => {
  expect(settingsFor(rig, { alone: 'porch' }).soloed).toEqual(['click', 'porch', porch.portId]);
  expect(settingsFor(rig, {}).soloed).toBeNull();
});

test('a new hub is set to everything, a known one only to what has changed', async () => {
  const { hub, said } = noting();
  const plan = new HubPlan();
  await plan.apply(hub);
  const all = said.splice(0).map(([name]) => name);
  await plan.apply(hub);
  expect(said).toEqual([]);
  await plan.apply(hub, 'newHub');
  expect(said.map(([name]) => name)).toEqual(all);
});
