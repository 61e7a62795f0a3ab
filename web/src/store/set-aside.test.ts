import 'fake-indexeddb/auto';
import { boathouse } from './boathouse';
import { Database, demoDatabase, keepIn, ownDatabase } from './database';
import { keptBy } from './fixtures/as-it-was';
import { damagedText } from './own-data';
import type { Take } from './records';
import { ensureRigs, listRigs, loadRig, resetDemo } from './rigs';
import { indexedAs } from './take-kind';
import { listTakes } from './takes';

const [old] = keptBy(6)['takes'] as unknown as Take[];
const good: Take = { ...old!, ...indexedAs(old!) };
const later = () => new Promise((resolve) => setTimeout(resolve, 20));

test('a damaged take is not listed, lies aside with what is wrong, and the others stay', async () => {
  keepIn(demoDatabase().name);
  const demo = demoDatabase();
  await demo.takes.bulkPut([good, { ...good, id: 'hurt', lines: [{ name: 'Porch' }] } as unknown as Take]);
  expect((await listTakes('boathouse')).map(({ id }) => id)).toEqual([good.id]);
  await later();
  const aside = await demo.setAside.toArray();
  expect(aside).toMatchObject([{ table: 'takes', problem: expect.stringContaining('lines[0]') as string }]);
  expect(await demo.takes.get('hurt')).toBeUndefined();
  expect(JSON.parse(damagedText(aside))).toMatchObject({ records: [{ record: { id: 'hurt' } }] });
});

test('a damaged demo begins anew, and a damaged rig of one’s own stops nothing', async () => {
  await demoDatabase().rigs.put({ ...boathouse(), gear: 7 } as never);
  await ownDatabase().rigs.put({ id: 'own', bpm: 'fast' } as never);
  await ensureRigs();
  expect((await loadRig('boathouse'))!.gear.length).toBeGreaterThan(8);
  expect(await loadRig('own')).not.toBeNull();
  expect(await listRigs()).toMatchObject([
    { id: 'boathouse', demo: true },
    { id: 'own', demo: false },
  ]);
  expect(await ownDatabase().setAside.count()).toBe(1);
});

test('resetting the demo deletes what was taken in it, and nothing of one’s own', async () => {
  await ownDatabase().takes.put({ ...good, rigId: 'own' });
  const before = JSON.stringify(await ownDatabase().takes.toArray());
  await resetDemo();
  expect([await demoDatabase().takes.count(), await demoDatabase().rigs.count()]).toEqual([0, 1]);
  expect(JSON.stringify(await ownDatabase().takes.toArray())).toBe(before);
});

test('what other versions of the app kept besides is no damage', async () => {
  const data = new Database('besides');
  await data.takes.put({ ...good, laterField: { anything: 1 } } as Take);
  keepIn('besides');
  expect(await listTakes('boathouse')).toHaveLength(1);
});
