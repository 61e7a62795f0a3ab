import Dexie, { type Table } from 'dexie';
import { database, type Database } from '../store/database';
import type { ClockTake, EventKind, HistoryEvent, Take, TakeKind } from '../store/records';
import { intactOf } from '../store/quarantine';
import { isEpoch } from '../store/record-schemas';

export type EntryKind = TakeKind | 'clock' | EventKind;

/** An entry's key, without its contents. */
export interface EntryKey {
  id: string;
  kind: EntryKind;
  /** Epoch milliseconds. */
  at: number;
}

export type Entry =
  | { what: 'take'; take: Take }
  | { what: 'clock'; take: ClockTake }
  | { what: 'event'; event: HistoryEvent }
  /** Damaged, or deleted in the meantime. */
  | { what: 'nothing' };

export interface LogbookFilter {
  /** Empty means all. */
  kinds: readonly EntryKind[];
  gearId: string | null;
  /** Epoch milliseconds. */
  fromAt: number | null;
  toAt: number | null;
}

const EVENT_KINDS: ReadonlySet<string> = new Set<EventKind>(['offsets', 'rig', 'fault', 'data', 'link']);

/** All entries of a rig, newest first, from indexes alone: no record is read. */
export async function logbookKeys(rigId: string): Promise<EntryKey[]> {
  const all = await Promise.all([
    keysOf(database.takes, '[rigId+kind+startedAt]', rigId, ([, kind, at]) => ({ kind, at })),
    keysOf(database.clockTakes, '[rigId+startedAt]', rigId, ([, at]) => ({ kind: 'clock', at })),
    keysOf(database.events, '[rigId+kind+at]', rigId, ([, kind, at]) => ({ kind, at })),
  ]);
  return all
    .flat()
    .filter((key) => isEpoch(key.at) || moveAside(key))
    .sort((a, b) => b.at - a.at);
}

/** A record whose time can't be shown is damaged: reading it moves it aside. */
function moveAside(key: EntryKey): false {
  setTimeout(() => void loadEntry(key).catch(() => undefined));
  return false;
}

type Parts = [rigId: string, kindOrAt: never, at: never];

async function keysOf(
  table: Pick<Table<unknown, string>, 'where'>,
  index: string,
  rigId: string,
  read: (parts: Parts) => { kind: EntryKind; at: number },
): Promise<EntryKey[]> {
  const keys: EntryKey[] = [];
  await table
    .where(index)
    .between([rigId, Dexie.minKey], [rigId, Dexie.maxKey])
    .eachKey((key, { primaryKey }) => {
      keys.push({ id: String(primaryKey), ...read(key as unknown as Parts) });
    });
  return keys;
}

/** Ids of all entries about a device. */
export async function entriesOfGear(gearId: string): Promise<Set<string>> {
  const tables = [database.takes, database.clockTakes, database.events];
  const keys = await Promise.all(tables.map((table) => table.where('gearIds').equals(gearId).primaryKeys()));
  return new Set(keys.flat());
}

/** `ofGear`: the entries of the chosen device. */
export function filtered(
  keys: readonly EntryKey[],
  filter: LogbookFilter,
  ofGear: ReadonlySet<string> | null,
): EntryKey[] {
  const { kinds, fromAt, toAt } = filter;
  return keys.filter(
    ({ id, kind, at }) =>
      (kinds.length === 0 || kinds.includes(kind)) &&
      (!ofGear || ofGear.has(id)) &&
      (fromAt === null || at >= fromAt) &&
      (toAt === null || at < toAt),
  );
}

export async function loadEntry({ id, kind }: EntryKey): Promise<Entry> {
  const nothing = { what: 'nothing' } as const;
  if (EVENT_KINDS.has(kind)) {
    const found = await database.events.get(id);
    const [event] = intactOf(database, 'events', found ? [found] : []);
    return event ? { what: 'event', event } : nothing;
  }
  if (kind === 'clock') {
    const found = await database.clockTakes.get(id);
    const [take] = intactOf(database, 'clockTakes', found ? [found] : []);
    return take ? { what: 'clock', take } : nothing;
  }
  const found = await database.takes.get(id);
  const [take] = intactOf(database, 'takes', found ? [found] : []);
  return take ? { what: 'take', take } : nothing;
}

/** Takes by id, in that order; missing ones are left out. */
export async function listOfTakes(from: Database, ids: readonly string[]): Promise<Take[]> {
  const takes = await from.takes.bulkGet([...ids]);
  return takes.filter((take) => take !== undefined);
}
