import type { Schema } from 'yup';
import type { Database } from './database';
import { clockTakeSchema, eventSchema, offsetSetSchema, streamSchema, takeSchema } from './record-schemas';
import { rigSchema } from './rig-schema';

/** Schema of each table. */
const SCHEMAS = {
  rigs: rigSchema,
  takes: takeSchema,
  clockTakes: clockTakeSchema,
  offsetSets: offsetSetSchema,
  events: eventSchema,
  streams: streamSchema,
} satisfies Record<string, Schema>;

type CheckedTable = keyof typeof SCHEMAS;
interface Keyed {
  id: string;
}

/** Records already validated: records are read again and again, but validated once. */
const checkedTables = new Set<string>();

/** A record that was validated elsewhere, as in the worker that read it from a file: it isn't validated again here. */
export function knownIntact(from: Database, table: CheckedTable, id: string): void {
  checkedTables.add(keyOf(from, table, id));
}

function keyOf(from: Database, table: CheckedTable, id: string): string {
  return `${from.name} ${table} ${id}`;
}

/** The valid records. Damaged ones are moved aside soon after, from where they can be exported. */
export function intactOf<Row extends Keyed>(from: Database, table: CheckedTable, rows: readonly Row[]): Row[] {
  return rows.filter((row) => {
    const problem = problemOf(keyOf(from, table, row.id), SCHEMAS[table], row);
    // Called from read-only live queries, so defer the write.
    if (problem !== null) setTimeout(() => void quarantine(from, table, row, problem).catch(() => undefined));
    return problem === null;
  });
}

/** Moves a table's damaged records aside. */
export async function quarantineDamaged(from: Database, table: CheckedTable): Promise<void> {
  for (const row of await from.table<Keyed, string>(table).toArray()) {
    const problem = problemOf(keyOf(from, table, row.id), SCHEMAS[table], row);
    if (problem !== null) await quarantine(from, table, row, problem);
  }
}

function problemOf(key: string, schema: Schema, row: unknown): string | null {
  if (checkedTables.has(key)) return null;
  try {
    schema.validateSync(row, { strict: true });
    checkedTables.add(key);
    return null;
  } catch (error) {
    return error instanceof Error ? error.message : 'The record can’t be read.';
  }
}

async function quarantine(from: Database, table: CheckedTable, row: Keyed, problem: string): Promise<void> {
  await from.transaction('rw', from.table(table), from.setAside, async () => {
    // Another caller may have done it already.
    if (!(await from.table<unknown, string>(table).get(row.id))) return;
    await from.setAside.add({ table, at: Date.now(), problem, record: row });
    await from.table<unknown, string>(table).delete(row.id);
  });
}
