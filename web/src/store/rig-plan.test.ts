import 'fake-indexeddb/auto';
import Dexie from 'dexie';
import { lineCheck } from '@metronomo/core';
import { gear } from './gear';
import { sourcesOf } from '../studio/sources';
import {
  BARE,
  connect,
  applyCure,
  disconnect,
  endsOf,
  fittingSockets,
  setInputPort,
  setOutputPort,
  moveGear,
  planOf,
  withoutGear,
  withoutSocket,
  withSockets,
} from './rig-plan';
import type { Rig } from './records';

const empty: Rig = {
  id: 'own',
  name: 'My studio',
  demo: false,
  bpm: 120,
  gear: [gear({ id: 'a', name: 'A' }), gear({ id: 'b', name: 'B' })],
  ...BARE,
  input: { sourceId: 'none', label: '', clickChannel: 0 },
};
const attic = { id: 'midi:attic', name: 'Attic in' };
const thru = [
  { gearId: 'a', socketId: 'thru' },
  { gearId: 'b', socketId: 'in' },
] as const;

test('choosing a device’s output port adds a cable from a hub socket, and the feed leaves there', () => {
  const rig = setOutputPort(empty, 'a', attic);
  expect(rig.hubSockets).toMatchObject([{ label: 'Attic in', portId: 'midi:attic', link: 'din' }]);
  expect(rig.cables).toHaveLength(1);
  expect(rig.gear[0]!.portId).toBe('midi:attic');
  expect(empty.gear[0]!.portId).toBeNull();
  const moved = setOutputPort(rig, 'a', { id: 'midi:cellar', name: 'Cellar' });
  expect(moved.cables).toHaveLength(1);
  expect(moved.gear[0]!.portId).toBe('midi:cellar');
  expect(setOutputPort(moved, 'a', null).gear[0]!.portId).toBeNull();
});

test('two devices on one port are rejected with a message; the second goes behind a thru, on the same wire', () => {
  const rig = setOutputPort(empty, 'a', attic);
  expect(() => setOutputPort(rig, 'b', attic)).toThrow(/already has a cable.*split box/);
  const chained = connect(rig, ...thru);
  expect(chained.gear[1]!.portId).toBe('midi:attic');
  expect(lineCheck(planOf(chained)).map(({ seen }) => seen.rule)).not.toContain('nothing arrives');
  expect(disconnect(chained, chained.cables[0]!.id).gear[0]!.portId).toBeNull();
});

test('a device that joins a wire takes on the offset sent there, and keeps its own elsewhere', () => {
  const offsets = { ...empty, gear: empty.gear.map((one, i) => ({ ...one, offsetMs: i === 0 ? -9 : 4 })) };
  const rig = setOutputPort(offsets, 'a', attic);
  expect(rig.gear.map(({ offsetMs }) => offsetMs)).toEqual([-9, 4]);
  const chained = connect(rig, ...thru);
  expect(chained.gear.map(({ offsetMs }) => offsetMs)).toEqual([-9, -9]);
  expect(lineCheck(planOf(chained)).map(({ seen }) => seen.rule)).not.toContain('shares a wire');
});

test('a cable into the hub makes the device a source: a leader is followed in the sync it sends', () => {
  const rig = setInputPort(empty, 'a', { id: 'midi:loft', name: 'Loft out' });
  expect(sourcesOf(rig)).toMatchObject([{ id: 'a', portId: 'midi:loft', language: 'clock', obeys: false }]);
  expect(rig.gear[0]!.portId).toBeNull();
  const both = setOutputPort(rig, 'a', { id: 'midi:loft', name: 'Loft' });
  expect(both.hubSockets.map(({ direction }) => direction)).toEqual(['in', 'out']);
  expect(sourcesOf(setInputPort(both, 'a', null))).toMatchObject([{ id: 'midi:loft in' }]);
  expect(sourcesOf(withoutSocket(both, 'midi:loft in'))).toEqual([]);
});

test('removing sockets removes their cables, and gear can be moved in its list', () => {
  const rig = connect(setOutputPort(empty, 'a', attic), ...thru);
  const [first] = rig.gear;
  const left = withSockets(
    rig,
    'a',
    first!.sockets.filter(({ direction }) => direction !== 'thru'),
  );
  expect(left.cables).toHaveLength(1);
  expect(left.gear[0]!.portId).toBe('midi:attic');
  expect(moveGear(rig, 'a', 1).gear.map(({ id }) => id)).toEqual(['b', 'a']);
  expect(moveGear(rig, 'a', -1)).toBe(rig);
});

test('removing gear removes its cables; if it led, the hub takes over', () => {
  const rig = { ...connect(setOutputPort(empty, 'a', attic), ...thru), leaders: ['a'] };
  expect(withoutGear(rig, 'a')).toMatchObject({ cables: [], leaders: ['hub'], gear: [{ id: 'b', portId: null }] });
});

test('a cure changes what it says, and the finding disappears', () => {
  const rig = setOutputPort(empty, 'a', attic);
  const before = lineCheck(planOf(rig)).filter(({ gearId }) => gearId === 'a');
  const [oldTempo] = before;
  expect(before.map(({ seen }) => seen.rule)).toEqual(['old tempo']);
  const after = applyCure(rig, oldTempo!.cure!)!;
  expect(lineCheck(planOf(after)).filter(({ gearId }) => gearId === 'a')).toEqual([]);
  expect(applyCure(rig, { kind: 'measure', gearId: 'a' })).toBeNull();
});

test('a rig of the first version opens with cables', async () => {
  const old = new Dexie('metronomo');
  old.version(1).stores({ rigs: 'id', takes: 'id, [rigId+startedAt]', sound: '[takeId+index]' });
  const follower = {
    sends: { clock: true, transport: true, position: false },
    clockWhileStopped: false,
    noteChannel: 10,
    returnChannel: 1,
  };
  await old.table('rigs').add({
    id: 'boathouse',
    name: 'Boathouse',
    demo: true,
    bpm: 79.3,
    gear: [
      { ...follower, id: 'porch', name: 'Porch beat box', portId: 'boathouse-porch', offsetMs: -12.3 },
      { ...follower, id: 'tide', name: 'Tide sampler', portId: 'boathouse-porch', offsetMs: 0 },
    ],
    input: { sourceId: 'boathouse', label: 'Boathouse interface', clickChannel: 0 },
  });
  old.close();
  const { loadRig } = await import('./rigs');
  const rig = await loadRig('boathouse');
  expect(rig!.gear[0]).toMatchObject({ audioOuts: [{ input: 1 }], returnChannel: 1, checked: [], leadsWith: 'clock' });
  expect(rig).toMatchObject({ routes: [], tested: {}, following: { response: 'steady' }, align: { target: 'grid' } });
  expect(rig).toMatchObject({ leaders: ['hub'], bpm: 79.3 });
  expect(rig!.gear.map(({ portId, offsetMs }) => [portId, offsetMs])).toEqual([
    ['boathouse-porch', -12.3],
    [null, 0],
  ]);
  expect(rig!.cables).toHaveLength(1);
});

test('a cable fits wherever one could be plugged in, from either end', () => {
  const [from, to] = thru;
  expect(fittingSockets(empty, from)).toContainEqual(to);
  expect(fittingSockets(empty, to)).toContainEqual(from);
  expect(endsOf(empty, from, to)).toEqual({ from, to });
  expect(endsOf(empty, to, from)).toEqual({ from, to });
  // One cable to a socket: neither end is free any more.
  const plugged = connect(empty, from, to);
  expect(fittingSockets(plugged, from)).toEqual([]);
  expect(fittingSockets(plugged, to)).toEqual([]);
});
