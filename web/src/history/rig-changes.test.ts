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

test('offsets that were moved stand by themselves, with where they were', () => {
  expect(rigChanges(before, withGear('porch', { offsetMs: -12.3 }))).toEqual({
    moves: [{ gearId: 'porch', name: 'Porch beat box', fromMs: 0, toMs: -12.3 }],
    lines: [],
    gearIds: [],
  });
});

test('what changed is said in words, with whose it is', () => {
  const said = (after: Rig) => rigChanges(before, after).lines;
  expect(said({ ...before, bpm: 120 })).toEqual([`Tempo ${before.bpm.toFixed(2)} → 120.00 BPM`]);
  expect(said(withGear('porch', { clockWhileStopped: !before.gear[0]!.clockWhileStopped }))).toEqual([
    'Porch beat box: clock while stopped changed',
  ]);
  expect(said({ ...before, gear: [...before.gear, gear({ id: 'new', name: 'Pike drum', kind: 'beatBox' })] })).toEqual([
    'Pike drum was added.',
  ]);
  expect(said({ ...before, leaders: ['vole', 'hub'] })[0]).toBe('Who leads: Vole keyboard, then the hub');
  expect(said({ ...before, align: { ...before.align, target: 'latest' } })).toEqual([
    'Align: tolerance 1 ms, with the slowest',
  ]);
});

test('a cable that was pulled, and gear that went with its cables', () => {
  const toPorch = before.cables.find(({ to }) => to.gearId === 'porch')!;
  const pulled = rigChanges(before, disconnect(before, toPorch.id));
  expect(pulled.lines).toEqual([
    'Porch beat box: the port that leads to it changed',
    'Cable out: the hub to Porch beat box',
  ]);
  expect(pulled.gearIds).toEqual(['porch']);
  expect(rigChanges(before, withoutGear(before, 'porch')).lines).toContain('Porch beat box was taken away.');
});

test('moved in the drawing, or ticked off, is nothing to write down', () => {
  expect(rigChanges(before, withGear('porch', { place: { x: 1, y: 2 }, checked: ['a'] })).lines).toEqual([]);
});
