import 'fake-indexeddb/auto';
import { Database, keepIn } from '../store/database';
import { asItWas } from '../store/fixtures/as-it-was';
import { entriesOfGear, filtered, loadEntry, logbookKeys } from './logbook';
import { trendOf } from './trend';

const none = { kinds: [], gearId: null, fromAt: null, toAt: null } as const;
let data: Database;
beforeAll(async () => {
  await asItWas('logbook', 6);
  data = new Database('logbook');
  keepIn('logbook');
  await data.events.bulkAdd([
    { id: 'e1', rigId: 'boathouse', at: 1, kind: 'fault', lines: ['A port went away.'], gearIds: ['porch'] },
    { id: 'e2', rigId: 'other', at: 2, kind: 'fault', lines: [], gearIds: ['porch'] },
  ]);
});

test('all entries of a rig, newest first, of every kind; none of other rigs', async () => {
  const keys = await logbookKeys('boathouse');
  expect(keys.map(({ kind }) => kind).sort()).toEqual(['chase', 'clock', 'fault', 'take']);
  expect(keys.map(({ at }) => at)).toEqual(keys.map(({ at }) => at).sort((a, b) => b - a));
});

test('filtered by kind, device and day', async () => {
  const keys = await logbookKeys('boathouse');
  const kinds = (filter: Parameters<typeof filtered>[1], ofGear: Set<string> | null = null) =>
    filtered(keys, filter, ofGear).map(({ kind }) => kind);
  expect(kinds({ ...none, kinds: ['take', 'fault'] })).toEqual(['take', 'fault']);
  expect(kinds(none, await entriesOfGear('porch'))).toEqual(['take', 'fault']);
  expect(kinds(none, await entriesOfGear('weir'))).toEqual(['chase']);
  expect(kinds({ ...none, toAt: 2 })).toEqual(['fault']);
  expect(kinds({ ...none, fromAt: 2, kinds: ['fault'] })).toEqual([]);
});

test('an entry is read by its key; a missing one is nothing', async () => {
  const read = await Promise.all((await logbookKeys('boathouse')).map(loadEntry));
  expect(read.map(({ what }) => what).sort()).toEqual(['clock', 'event', 'take', 'take']);
  expect(await loadEntry({ id: 'gone', kind: 'take', at: 0 })).toEqual({ what: 'nothing' });
});

test('a device’s trend excludes its offset', async () => {
  const [take] = (await data.takes.toArray()).filter(({ kind }) => kind === 'take');
  const later = {
    ...take!,
    id: 'later',
    startedAt: take!.startedAt + 1000,
    bpm: 96,
    lines: take!.lines.map((line) => ({
      ...line,
      offsetMs: -12,
      report: { ...line.report!, medianMs: line.report!.medianMs - 12 },
    })),
  };
  const [first, second] = trendOf([later, take!], 'porch');
  expect(second!.naturalMs).toBeCloseTo(first!.naturalMs, 9);
  expect(second).toMatchObject({ takeId: 'later', offsetMs: -12, changed: ['tempo 96.00 BPM'] });
});
