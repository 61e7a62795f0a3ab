import 'fake-indexeddb/auto';
import { boathouse } from './boathouse';
import { changedSinceSet, deleteSet, isInForce, listSets, renameSet, saveSet, withSet } from './offset-sets';
import type { Rig } from './records';

const rig = boathouse();
const withOffset = (from: Rig, id: string, offsetMs: number): Rig => ({
  ...from,
  gear: from.gear.map((gear) => (gear.id === id ? { ...gear, offsetMs } : gear)),
});

test('a set is saved, renamed, deleted, and restored by undo', async () => {
  const set = await saveSet(rig, '  Evening ', undefined);
  expect((await listSets(rig.id)).map(({ name }) => name)).toEqual(['Evening']);
  await renameSet(set.id, 'Night');
  await renameSet(set.id, ' ');
  const undo = await deleteSet({ ...set, name: 'Night' });
  expect(await listSets(rig.id)).toEqual([]);
  await undo();
  expect((await listSets(rig.id)).map(({ name }) => name)).toEqual(['Night']);
});

test('recalling a set applies its offsets; devices not in it keep theirs', async () => {
  const set = await saveSet(withOffset(rig, 'porch', -12.7), '', undefined);
  expect(set.name).toBe('79.3 BPM');
  expect(isInForce(set, rig)).toBe(false);
  const more = { ...rig, gear: [...rig.gear, { ...rig.gear[0]!, id: 'new', name: 'New', offsetMs: 4 }] };
  const recalled = withSet(more, set);
  expect(isInForce(set, recalled)).toBe(true);
  expect(recalled.gear.find(({ id }) => id === 'new')!.offsetMs).toBe(4);
});

test('out of date: every changed condition is named', async () => {
  const set = { ...(await saveSet(rig, 'Then', undefined)), bufferMs: 12 };
  expect(changedSinceSet(set, rig, 13)).toEqual([]);
  const [first, ...others] = rig.gear;
  const now: Rig = {
    ...rig,
    bpm: 98.2,
    song: { ...rig.song, tempoFrom: 'sections' },
    input: { ...rig.input, sourceId: 'other' },
    gear: [{ ...first!, portId: 'elsewhere', offset: { ...first!.offset, own: 3 } }, ...others.slice(1)],
  };
  expect(changedSinceSet(set, now, 40).join('; ')).toBe(
    'the audio interface was Boathouse interface; the tempo was set by hand; the tempo was 79.3 BPM; the audio buffer delay was 12 ms; ' +
      'Porch beat box was on another port; the device offset of Porch beat box was 0; Tide sampler was in the rig',
  );
});
