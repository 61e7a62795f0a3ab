import Dexie from 'dexie';
import { otherTicks } from '../store/clock-takes';
import type { Database } from '../store/database';
import type { Progress } from './zip-entries';
import { exactDayAndTime } from '../parts/dates';

/** Independent records, in the order they are merged. */
const TABLES = ['rigs', 'takes', 'clockTakes', 'offsetSets', 'events', 'streams', 'calibrations'] as const;
type MergedTable = (typeof TABLES)[number];

/** Which version to keep in a conflict. */
export type Preference = 'mine' | 'theirs';

export interface Differences {
  /** New records. */
  added: number;
  same: number;
  /** Records in conflict. */
  differing: { table: MergedTable; name: string }[];
}

interface Row {
  table: MergedTable;
  key: string | [string, number];
  theirs: Record<string, unknown>;
  mine: Record<string, unknown> | undefined;
}

/** Compares the previewed data with yours. */
export async function differences(aside: Database, own: Database): Promise<Differences> {
  const found: Differences = { added: 0, same: 0, differing: [] };
  for await (const { table, theirs, mine } of rows(aside, own))
    if (!mine) found.added++;
    else if (isSame(theirs, mine)) found.same++;
    else found.differing.push({ table, name: nameOf(theirs) });
  return found;
}

/** What a merge did, for undo. */
export interface Merged {
  added: { table: MergedTable; key: Row['key'] }[];
  replaced: { table: MergedTable; row: Record<string, unknown> }[];
}

/**
 * Adds what is missing; conflicts go by preference. An id is never recorded twice, so raw data of existing records
 * stays.
 */
export async function merge(
  aside: Database,
  own: Database,
  prefer: Preference,
  tell: Progress,
  signal: AbortSignal,
): Promise<Merged> {
  const merged: Merged = { added: [], replaced: [] };
  const counts = await Promise.all(TABLES.map((table) => aside.table(table).count()));
  const all = counts.reduce((sum, count) => sum + count, 0);
  let done = 0;
  try {
    for await (const { table, key, theirs, mine } of rows(aside, own)) {
      signal.throwIfAborted();
      if (!mine) {
        merged.added.push({ table, key });
        await copyParts(aside, own, table, String(key));
        await own.table(table).put(theirs);
      } else if (!isSame(theirs, mine) && prefer === 'theirs') {
        merged.replaced.push({ table, row: mine });
        await own.table(table).put(theirs);
      }
      tell(++done, all);
    }
  } catch (error) {
    // Roll back: a partial merge would leave inconsistent data.
    await undoMerge(own, merged);
    throw error;
  }
  return merged;
}

export async function undoMerge(own: Database, { added, replaced }: Merged): Promise<void> {
  for (const { table, key } of added) {
    for (const [part, id, name] of partsOf(table, String(key)))
      await own.table(part).where(name).between([id, Dexie.minKey], [id, Dexie.maxKey]).delete();
    await own.table(table).delete(key);
  }
  for (const { table, row } of replaced) await own.table(table).put(row);
}

async function* rows(aside: Database, own: Database): AsyncGenerator<Row> {
  for (const table of TABLES)
    for (const key of await aside.table<Record<string, unknown>, Row['key']>(table).toCollection().primaryKeys()) {
      const theirs = await aside.table<Record<string, unknown>, Row['key']>(table).get(key);
      const mine = await own.table<Record<string, unknown>, Row['key']>(table).get(key);
      if (theirs) yield { table, key, theirs, mine };
    }
}

function partsOf(table: MergedTable, id: string): [part: string, id: string, index: string][] {
  switch (table) {
    case 'takes':
      return [
        ['sound', id, '[takeId+index]'],
        ['ticks', id, '[takeId+index]'],
      ];
    case 'clockTakes':
      return [
        ['ticks', id, '[takeId+index]'],
        ['ticks', otherTicks(id), '[takeId+index]'],
      ];
    case 'streams':
      return [['pieces', id, '[streamId+index]']];
    default:
      return [];
  }
}

async function copyParts(from: Database, to: Database, table: MergedTable, id: string): Promise<void> {
  for (const [part, partId, index] of partsOf(table, id)) {
    const keys = await from
      .table<unknown, [string, number]>(part)
      .where(index)
      .between([partId, Dexie.minKey], [partId, Dexie.maxKey])
      .primaryKeys();
    for (const key of keys) await to.table(part).put(await from.table<unknown, [string, number]>(part).get(key));
  }
}

function isSame(a: object, b: object): boolean {
  return JSON.stringify(a) === JSON.stringify(b);
}

function nameOf(row: Record<string, unknown>): string {
  const { name, startedAt, input } = row;
  if (typeof name === 'string') return name;
  if (typeof startedAt === 'number') return `take of ${exactDayAndTime(startedAt)}`;
  return typeof input === 'string' ? input : 'logbook entry';
}
