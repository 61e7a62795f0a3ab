import { BARE } from '../store/rig-plan';
import { gear } from '../store/gear';
import type { Rig } from '../store/records';
import { feedsOf } from './feeds';

const rig: Rig = {
  id: 'r',
  name: 'R',
  demo: false,
  bpm: 120,
  gear: [gear({ id: 'a', name: 'A', portId: 'midi:1', offsetMs: -5 }), gear({ id: 'b', name: 'B' })],
  ...BARE,
  input: { sourceId: 'none', label: '', clickChannel: 0 },
};

test('the click and one feed for each follower with a port', () => {
  expect(feedsOf(rig).map(({ id, portId }) => [id, portId])).toEqual([
    ['click', 'click'],
    ['a', 'midi:1'],
  ]);
  expect(feedsOf(rig)[1]!.settings).toMatchObject({ offsetMs: -5, sends: { clock: true, transport: true } });
});

test('driven by notes, a follower gets quarter notes on its channel, no clock, and its offset', () => {
  const { settings } = feedsOf(rig, 'notes', ['a'])[1]!;
  expect(settings.sends).toEqual({ clock: false, transport: false, position: false, timecode: null });
  expect(settings).toMatchObject({ offsetMs: -5, notes: { channel: 10 } });
});

test('a shared stream goes to the other ports unchanged; each port still gets its own notes', () => {
  const fanned = {
    ...rig,
    gear: [rig.gear[0]!, gear({ id: 'b', name: 'B', portId: 'midi:2', offsetMs: 3, sharesFeedOf: 'a' })],
  };
  const [, a, b] = feedsOf(fanned);
  expect(b).toEqual({ ...a, id: 'b', portId: 'midi:2' });
  expect(feedsOf(fanned, 'notes', ['b'])[2]!.settings).toMatchObject({ offsetMs: 3, notes: { channel: 10 } });
});
