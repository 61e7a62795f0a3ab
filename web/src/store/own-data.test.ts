import 'fake-indexeddb/auto';
import Dexie from 'dexie';
import { Database, ownDatabase, ownDataName } from './database';
import {
  deleteLeftovers,
  damagedText,
  replacedDatabases,
  deleteReplaced,
  newDatabaseName,
  replaceOwnData,
} from './own-data';

const kept = new Map<string, string>();
beforeAll(() => {
  Object.defineProperty(globalThis, 'localStorage', {
    value: {
      getItem: (key: string) => kept.get(key) ?? null,
      setItem: (key: string, value: string) => kept.set(key, value),
      removeItem: (key: string) => kept.delete(key),
    },
  });
});
beforeEach(async () => {
  kept.clear();
  for (const name of await Dexie.getDatabaseNames()) await Dexie.delete(name);
});

const filled = async (name: string) => {
  const data = new Database(name);
  await data.calibrations.add({ input: name, sampleRate: 1, roundTripMs: 1, bufferMs: null, takeId: 'x', at: 1 });
  data.close();
};
const names = async () => (await Dexie.getDatabaseNames()).sort();

test('replaced data takes effect on the next load, and the old data can be restored', async () => {
  await filled('metronomo');
  await filled('metronomo-1');
  replaceOwnData('metronomo-1');
  expect([ownDataName(), ownDatabase().name]).toEqual(['metronomo-1', 'metronomo-1']);
  expect(replacedDatabases().map(({ name }) => name)).toEqual(['metronomo']);
  replaceOwnData('metronomo');
  expect(ownDataName()).toBe('metronomo');
  expect(replacedDatabases().map(({ name }) => name)).toEqual(['metronomo-1']);
});

test('after repeated replacement, everything is kept until it is deleted', async () => {
  for (const name of ['metronomo', 'metronomo-1', 'metronomo-2', 'metronomo-3']) await filled(name);
  for (const name of ['metronomo-1', 'metronomo-2']) replaceOwnData(name);
  // Left over from a closed tab, so unknown to this one.
  await deleteLeftovers();
  expect(await names()).toEqual(['metronomo', 'metronomo-1', 'metronomo-2']);
  await deleteReplaced('metronomo-1');
  expect(await names()).toEqual(['metronomo', 'metronomo-2']);
  expect(replacedDatabases().map(({ name }) => name)).toEqual(['metronomo']);
});

test('other databases in the browser, and the demo, are untouched', async () => {
  for (const name of ['metronomo-demo', 'somebody-else', 'metronomo-old', newDatabaseName()]) await filled(name);
  await deleteLeftovers();
  expect(await names()).toEqual(['metronomo-demo', 'metronomo-old', 'somebody-else']);
});

test.each(['no JSON', '{"name":"metronomo"}', '[null,7,{"name":3,"at":"x"}]'])(
  'a damaged list counts as empty: %s',
  (text) => {
    kept.set('metronomo.before', text);
    expect(replacedDatabases()).toEqual([]);
  },
);

test('damaged records are exported with their samples as lists', () => {
  const text = damagedText([{ table: 'sound', record: { channels: [Float32Array.of(0.5, 1)] } }]);
  expect(JSON.parse(text)).toEqual({
    metronomoSetAside: 1,
    records: [{ table: 'sound', record: { channels: [[0.5, 1]] } }],
  });
});
