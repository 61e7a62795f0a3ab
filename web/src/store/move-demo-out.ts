import type { IndexableType } from 'dexie';
import type { Database } from './database';

const BATCH = 32;

/** Tables keyed by the id of a take or stream: table, owner and key. */
const PARTS = [
  ['sound', 'takes', 'takeId'],
  ['ticks', 'takes', 'takeId'],
  ['ticks', 'clockTakes', 'takeId'],
] as const;
const WHOLE = ['takes', 'clockTakes', 'offsetSets'] as const;

/**
 * Up to version 6 the demo's takes were stored with your own. They move to the demo's database; the rig moves last, so
 * that an interrupted migration resumes.
 */
export async function moveDemoOut(from: Database, to: Database): Promise<void> {
  const rigs = await from.rigs.filter(({ demo }) => demo).toArray();
  for (const rig of rigs) {
    const keysOf = async (table: (typeof WHOLE)[number]) =>
      await from
        .table<{ rigId: string }, string>(table)
        .filter(({ rigId }) => rigId === rig.id)
        .primaryKeys();
    for (const [part, whole, key] of PARTS)
      for (const id of await keysOf(whole)) {
        // A comparison clock's ticks are stored under the take's id plus a suffix.
        const keys = await from
          .table(part)
          .where(`[${key}+index]`)
          .between([id], [`${id}\uffff`])
          .primaryKeys();
        await moveRows(from, to, part, keys);
      }
    for (const whole of WHOLE) await moveRows(from, to, whole, await keysOf(whole));
    await moveRows(from, to, 'rigs', [rig.id]);
  }
}

async function moveRows(from: Database, to: Database, table: string, keys: readonly IndexableType[]): Promise<void> {
  for (let at = 0; at < keys.length; at += BATCH) {
    const some = keys.slice(at, at + BATCH);
    const rows: unknown[] = (await from.table(table).bulkGet(some)).filter((row) => row !== undefined);
    await to.table(table).bulkPut(rows);
    await from.table(table).bulkDelete(some);
  }
}
