import { boathouse } from '../store/boathouse';
import { gear } from '../store/gear';
import { disconnect, withoutGear } from '../store/rig-plan';
import type { Gear, Rig } from '../store/records';
import { rigChanges } from './rig-changes';

const before = boathouse();
const withGear = (id: string, change: Partial<Gear>): Rig => ({
  ...before,
  gear: before.gear.map((one) => (one.id === id ? { ...one, ...change } : one)),
});

test('moved offsets are listed separately, with their old values', () => {
  expect(rigChanges(before, withGear('porch', { offsetMs: -12.3 }))).toEqual({
    moves: [{ gearId: 'porch', name: 'Porch beat box', fromMs: 0, toMs: -12.3 }],
    lines: [],
    gearIds: [],
  });
});

test('changes are described with the device’s name', () => {
  const said = (after: Rig) => rigChanges(before, after).lines;
  expect(said({ ...before, bpm: 120 })).toEqual([`Tempo ${before.bpm.toFixed(2)} → 120.00 BPM`]);
  expect(said(withGear('porch', { clockWhileStopped: !before.gear[0]!.clockWhileStopped }))).toEqual([
    'Porch beat box: clock while stopped changed',
  ]);
  expect(said({ ...before, gear: [...before.gear, gear({ id: 'new', name: 'Pike drum', kind: 'beatBox' })] })).toEqual([
    'Pike drum added',
  ]);
  expect(said({ ...before, leaders: ['vole', 'hub'] })[0]).toBe('Leader: Vole keyboard, then the hub');
  expect(said({ ...before, align: { ...before.align, target: 'latest' } })).toEqual([
    'Align: target the slowest device, tolerance 1 ms',
  ]);
});

test('an unplugged cable, and gear removed with its cables', () => {
  const toPorch = before.cables.find(({ to }) => to.gearId === 'porch')!;
  const pulled = rigChanges(before, disconnect(before, toPorch.id));
  expect(pulled.lines).toEqual(['Porch beat box: output port changed', 'Cable removed: the hub to Porch beat box']);
  expect(pulled.gearIds).toEqual(['porch']);
  expect(rigChanges(before, withoutGear(before, 'porch')).lines).toContain('Porch beat box removed');
});

test('moves in the diagram and ticked entries aren’t logged', () => {
  expect(rigChanges(before, withGear('porch', { place: { x: 1, y: 2 }, checked: ['a'] })).lines).toEqual([]);
});
