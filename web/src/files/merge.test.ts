import 'fake-indexeddb/auto';
import { Database } from '../store/database';
import { asItWas } from '../store/fixtures/as-it-was';
import { differences, merge, undoMerge } from './merge';

const quiet = () => undefined;
const never = new AbortController().signal;

/** The same day twice: stored here, and in a file. */
async function twice(name: string): Promise<{ own: Database; aside: Database }> {
  await asItWas(`${name} own`, 6);
  await asItWas(`${name} aside`, 6);
  return { own: new Database(`${name} own`), aside: new Database(`${name} aside`) };
}

const all = async (of: Database) =>
  JSON.stringify(await Promise.all(of.tables.map((table) => table.toArray())), (_, value: unknown) =>
    ArrayBuffer.isView(value) ? Array.from(value as Float32Array) : value,
  );

test('identical records change nothing', async () => {
  const { own, aside } = await twice('same');
  const before = await all(own);
  expect(await differences(aside, own)).toMatchObject({ added: 0, differing: [] });
  expect(await merge(aside, own, 'theirs', quiet, never)).toEqual({ added: [], replaced: [] });
  expect(await all(own)).toBe(before);
});

test('new records are added with their audio and ticks, and removed by undo', async () => {
  const { own, aside } = await twice('new');
  await Promise.all(['takes', 'clockTakes', 'sound', 'ticks'].map((table) => own.table(table).clear()));
  const before = await all(own);
  const wanted = await all(aside);
  expect((await differences(aside, own)).added).toBe(3);
  const merged = await merge(aside, own, 'mine', quiet, never);
  expect(await all(own)).toBe(wanted);
  await undoMerge(own, merged);
  expect(await all(own)).toBe(before);
});

test('conflicts go by preference; undo restores the previous state', async () => {
  const { own, aside } = await twice('differs');
  const [take] = await own.takes.toArray();
  await own.takes.update(take!.id, { note: 'mine' });
  await aside.takes.update(take!.id, { note: 'theirs' });
  expect((await differences(aside, own)).differing).toHaveLength(1);
  await merge(aside, own, 'mine', quiet, never);
  expect((await own.takes.get(take!.id))!.note).toBe('mine');
  const merged = await merge(aside, own, 'theirs', quiet, never);
  expect((await own.takes.get(take!.id))!.note).toBe('theirs');
  await undoMerge(own, merged);
  expect((await own.takes.get(take!.id))!.note).toBe('mine');
});

test('a cancelled merge changes nothing', async () => {
  const { own, aside } = await twice('ended');
  await Promise.all(own.tables.map((table) => table.clear()));
  const stop = new AbortController();
  const told = (done: number) => {
    if (done === 3) stop.abort(new Error('ended'));
  };
  await expect(merge(aside, own, 'mine', told, stop.signal)).rejects.toThrow('ended');
  expect(await Promise.all(own.tables.map((table) => table.count()))).toEqual(own.tables.map(() => 0));
});
