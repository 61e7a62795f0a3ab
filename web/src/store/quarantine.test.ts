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
const settle = () => new Promise((resolve) => setTimeout(resolve, 20));

test('a damaged take is quarantined with its problem, and the others stay listed', async () => {
  keepIn(demoDatabase().name);
  const demo = demoDatabase();
  await demo.takes.bulkPut([good, { ...good, id: 'hurt', lines: [{ name: 'Porch' }] } as unknown as Take]);
  expect((await listTakes('boathouse')).map(({ id }) => id)).toEqual([good.id]);
  await settle();
  const aside = await demo.setAside.toArray();
  expect(aside).toMatchObject([{ table: 'takes', problem: expect.stringContaining('lines[0]') as string }]);
  expect(await demo.takes.get('hurt')).toBeUndefined();
  expect(JSON.parse(damagedText(aside))).toMatchObject({ records: [{ record: { id: 'hurt' } }] });
});

test('a damaged demo is recreated, and a damaged rig of your own stops nothing', async () => {
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

test('resetting the demo deletes its takes, and nothing of your own', async () => {
  await ownDatabase().takes.put({ ...good, rigId: 'own' });
  const before = JSON.stringify(await ownDatabase().takes.toArray());
  await resetDemo();
  expect([await demoDatabase().takes.count(), await demoDatabase().rigs.count()]).toEqual([0, 1]);
  expect(JSON.stringify(await ownDatabase().takes.toArray())).toBe(before);
});

test('extra fields from other versions aren’t damage', async () => {
  const data = new Database('besides');
  await data.takes.put({ ...good, laterField: { anything: 1 } } as Take);
  keepIn('besides');
  expect(await listTakes('boathouse')).toHaveLength(1);
});
