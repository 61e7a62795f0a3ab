import 'fake-indexeddb/auto';
import { BARE } from './rig-plan';
import { database } from './database';
import { gear } from './gear';
import type { Rig } from './records';
import { checkRig } from './rig-schema';
import { createRig, deleteRig, ensureRigs, freeRigName, listRigs, loadRig, resetDemo, saveRig } from './rigs';

const rig = (change: Partial<Rig> = {}): Rig => ({
  ...BARE,
  id: 'r',
  name: 'Attic',
  demo: false,
  bpm: 120,
  gear: [gear({ id: 'a', name: 'A' })],
  input: { sourceId: 'none', label: 'none', clickChannel: 0 },
  ...change,
});

test('a first visit creates the demo and an empty rig; later changes aren’t overwritten', async () => {
  await ensureRigs();
  expect((await listRigs()).map(({ id, demo }) => [id, demo])).toEqual([
    ['boathouse', true],
    ['own', false],
  ]);
  const demo = (await loadRig('boathouse'))!;
  await saveRig({ ...demo, bpm: 101 });
  await ensureRigs();
  expect((await loadRig('boathouse'))!.bpm).toBe(101);
  await resetDemo();
  expect((await loadRig('boathouse'))!.bpm).toBe(79.3);
});

test('a new rig gets a unique name', async () => {
  const first = await createRig();
  const second = await createRig();
  const names = (await listRigs()).map(({ name }) => name);
  expect(names).toEqual(expect.arrayContaining(['New studio', 'New studio 2']));
  expect(await freeRigName('New studio')).toBe('New studio 3');
  await deleteRig(first);
  expect(await freeRigName('New studio')).toBe('New studio');
  await deleteRig(second);
});

test('a damaged rig isn’t used, and stays in place', async () => {
  await database.rigs.put({ ...rig({ id: 'hurt' }), bpm: 'fast' } as unknown as Rig);
  expect(await loadRig('hurt')).toBeNull();
  expect(await database.rigs.get('hurt')).toMatchObject({ bpm: 'fast' });
});

const sections = [{ name: 'S', bars: 4, bpm: 120, toBpm: null, beatsPerBar: 4, beatUnit: 4 }];
test.each<[string, Partial<Rig>, RegExp]>([
  ['a tempo out of reach', { bpm: 19 }, /bpm/],
  ['an empty name', { name: ' ' }, /rig name/],
  ['gear without a name', { gear: [gear({ id: 'a', name: '' })] }, /Enter a device name/],
  ['an offset beyond half a second', { gear: [gear({ id: 'a', name: 'A', offsetMs: 501 })] }, /offsetMs/],
  ['more gear than 64', { gear: Array.from({ length: 65 }, (_, i) => gear({ id: `g${i}`, name: `G${i}` })) }, /gear/],
  ['a freewheel of an hour', { following: { response: 'steady', freewheelMs: 3_600_000 } }, /freewheelMs/],
  ['a reason that is too long', { accepted: { key: 'x'.repeat(301) } }, /accepted/],
  [
    'a test of another kind',
    { tested: { c: { kind: 'note', answer: 'maybe', at: 0 } } } as unknown as Partial<Rig>,
    /tested/,
  ],
  ['a section of no bars', { song: { ...BARE.song, sections: [{ ...sections[0]!, bars: 0 }] } }, /bars/],
  ['a section faster than 300', { song: { ...BARE.song, sections: [{ ...sections[0]!, bpm: 301 }] } }, /bpm/],
  ['a time of 4/5', { song: { ...BARE.song, sections: [{ ...sections[0]!, beatUnit: 5 }] } }, /beatUnit/],
])('%s: the error names the field', (_, change, words) => expect(() => checkRig(rig(change))).toThrow(words));

test('a valid rig is accepted: a song, routes, triggers, tests and reasons', () => {
  const trigger = {
    id: 't',
    every: 'bar' as const,
    sends: { kind: 'steps' as const, channel: 1, controller: 20, count: 8 },
    atStart: { kind: 'note' as const, channel: 1, note: 60, velocity: 100 },
    inSections: { 0: 'off' as const, 1: 0.25 as const },
    slowsBelowBpm: 90,
  };
  const passes = { notes: true, controllers: false, programs: false, bends: true };
  const full = rig({
    gear: [gear({ id: 'a', name: 'A', triggers: [trigger], clockRate: 2, mmc: true })],
    song: { ...BARE.song, sections, tempoFrom: 'sections' },
    routes: [{ id: 'r', from: 'i', to: 'o', fromChannel: null, toChannel: 16, passes }],
    tested: { c: { kind: 'clock burst', answer: 'sound', at: 1 } },
    accepted: { 'loop|a|': 'only for the photo' },
  });
  expect(() => checkRig(full)).not.toThrow();
  const wrong = { ...trigger, every: 3 as never };
  expect(() => checkRig({ ...full, gear: [gear({ id: 'b', name: 'B', triggers: [wrong] })] })).toThrow(/every/);
});

test('validated parts aren’t validated again, changed ones are', () => {
  const good = rig();
  checkRig(good);
  const spoilt = { ...good, gear: [{ ...good.gear[0]!, noteChannel: 17 }] };
  expect(() => checkRig(good)).not.toThrow();
  expect(() => checkRig(spoilt)).toThrow(/noteChannel/);
});
