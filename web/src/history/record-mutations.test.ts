import 'fake-indexeddb/auto';
import { listSets } from '../store/offset-sets';
import { Database, keepIn } from '../store/database';
import { listClockTakes } from '../store/clock-takes';
import { listLinks } from '../store/events';
import { keptBy } from '../store/fixtures/as-it-was';
import type { ClockTake, HistoryEvent, OffsetSet, Take } from '../store/records';
import { indexedAs } from '../store/take-kind';
import { listTakeHeads, listTakes } from '../store/takes';
import { compareTakes } from './compare-takes';
import { loadEntry, logbookKeys } from './logbook';
import { trendOf } from './trend';

type Path = (string | number)[];
type Json = Record<string | number, unknown>;

const kept = keptBy(6);
const oldTake = kept['takes']![0] as unknown as Take;
const take: Take = { ...oldTake, ...indexedAs(oldTake) };
const clock = { ...kept['clockTakes']![0], rigId: take.rigId, gearIds: [] } as unknown as ClockTake;
const event: HistoryEvent = { id: 'e', rigId: take.rigId, at: 1, kind: 'fault', lines: ['x'], gearIds: ['porch'] };
const set: OffsetSet = {
  ...{ id: 's', rigId: take.rigId, name: 'Live', savedAt: 1, bpm: 120, offsets: [] },
} as unknown as OffsetSet;

/** Every place in a record; of a list, the first two entries. */
function pathsIn(value: unknown, path: Path = []): Path[] {
  if (typeof value !== 'object' || value === null || ArrayBuffer.isView(value)) return [path];
  const entries = Array.isArray(value) ? [...value.entries()].slice(0, 2) : Object.entries(value);
  return [path, ...entries.flatMap(([key, one]) => pathsIn(one, [...path, key]))];
}

const GONE = Symbol('deleted');
const VALUES: unknown[] = [GONE, null, 'x', -1, 9e15, NaN, {}, [null]];

function changed(record: object, path: Path, value: unknown): object {
  const copy = structuredClone(record);
  let at = copy as Json;
  for (const key of path.slice(0, -1)) at = at[key] as Json;
  if (value === GONE) Reflect.deleteProperty(at, path.at(-1)!);
  else at[path.at(-1)!] = value;
  return copy;
}

/** All that the lists, the Logbook and Trend do with what is stored. */
async function readAll(): Promise<void> {
  // The lists by index first: reading the records moves the damaged ones aside.
  const shown = (at: number) => new Intl.DateTimeFormat('en').format(at);
  for (const { startedAt } of await listTakeHeads(take.rigId, [take.kind])) shown(startedAt);
  for (const key of await logbookKeys(take.rigId)) {
    shown(key.at);
    await loadEntry(key);
  }
  const takes = await listTakes(take.rigId);
  for (const one of takes) compareTakes(one, one, takes);
  for (const { gearId } of takes.flatMap(({ lines }) => lines)) if (gearId) trendOf(takes, gearId);
  for (const one of await listClockTakes(take.rigId)) shown(one.startedAt);
  for (const one of await listSets(take.rigId)) shown(one.savedAt);
  await listLinks(take.rigId);
}

test.each([
  ['takes', take],
  ['clockTakes', clock],
  ['events', event],
  ['offsetSets', set],
] as const)('%s: no damaged record stops a list, the Logbook or Trend', async (table, good) => {
  const data = new Database(`hurt ${table}`);
  keepIn(data.name);
  const problems: string[] = [];
  let tried = 0;
  for (const [i, path] of pathsIn(good)
    .filter(({ length }) => length > 0 && length < 5)
    .entries())
    // Deep places are alike: each gets some of the values.
    for (const value of VALUES.filter((_, j) => path.length < 3 || (i + j) % 3 === 0)) {
      const id = `hurt ${++tried}`;
      const record = { ...changed(good, path, value), ...(path[0] === 'id' ? {} : { id }) };
      const stored = await data
        .table(table)
        .put(record)
        .then(
          () => true,
          () => false, // Not even storable.
        );
      if (!stored) continue;
      await readAll().catch((error: unknown) =>
        problems.push(`${path.join('.')} = ${String(value)}: ${String(error)}`),
      );
      await data.table(table).clear();
    }
  expect(problems).toEqual([]);
  expect(tried).toBeGreaterThan(40);
});
