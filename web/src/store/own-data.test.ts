import 'fake-indexeddb/auto';
import Dexie from 'dexie';
import { Database, ownDatabase, ownDataName } from './database';
import { clearAway, damagedText, dataBefore, forgetBefore, nameForAside, replaceOwnData } from './own-data';

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

test('what takes the place of everything is one’s own from then on, and what was there can be gone back to', async () => {
  await filled('metronomo');
  await filled('metronomo-1');
  replaceOwnData('metronomo-1');
  expect([ownDataName(), ownDatabase().name]).toEqual(['metronomo-1', 'metronomo-1']);
  expect(dataBefore().map(({ name }) => name)).toEqual(['metronomo']);
  replaceOwnData('metronomo');
  expect(ownDataName()).toBe('metronomo');
  expect(dataBefore().map(({ name }) => name)).toEqual(['metronomo-1']);
});

test('replaced again and again, all that was there is kept until somebody deletes it', async () => {
  for (const name of ['metronomo', 'metronomo-1', 'metronomo-2', 'metronomo-3']) await filled(name);
  for (const name of ['metronomo-1', 'metronomo-2']) replaceOwnData(name);
  // The last one lay aside when the tab was closed: nobody knows it.
  await clearAway();
  expect(await names()).toEqual(['metronomo', 'metronomo-1', 'metronomo-2']);
  await forgetBefore('metronomo-1');
  expect(await names()).toEqual(['metronomo', 'metronomo-2']);
  expect(dataBefore().map(({ name }) => name)).toEqual(['metronomo']);
});

test('other data in the browser are not touched, nor the demo', async () => {
  for (const name of ['metronomo-demo', 'somebody-else', 'metronomo-old', nameForAside()]) await filled(name);
  await clearAway();
  expect(await names()).toEqual(['metronomo-demo', 'metronomo-old', 'somebody-else']);
});

test.each(['no JSON', '{"name":"metronomo"}', '[null,7,{"name":3,"at":"x"}]'])(
  'a list that is hurt is none: %s',
  (text) => {
    kept.set('metronomo.before', text);
    expect(dataBefore()).toEqual([]);
  },
);

test('what was set aside is written with its samples as lists', () => {
  const text = damagedText([{ table: 'sound', record: { channels: [Float32Array.of(0.5, 1)] } }]);
  expect(JSON.parse(text)).toEqual({
    metronomoSetAside: 1,
    records: [{ table: 'sound', record: { channels: [[0.5, 1]] } }],
  });
});
