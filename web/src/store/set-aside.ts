import type { Schema } from 'yup';
import type { Database } from './database';
import { clockTakeSchema, eventSchema, offsetSetSchema, streamSchema, takeSchema } from './record-schemas';
import { rigSchema } from './rig-schema';

/** What each record has to be. */
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

/** Found whole before: a record of the store is looked at once, for it is read again and again. */
const whole = new Set<string>();

/** The records that are whole. The others go out of the way soon, and can be saved and looked at from there. */
export function wholeOf<Row extends Keyed>(from: Database, table: CheckedTable, rows: readonly Row[]): Row[] {
  return rows.filter((row) => {
    const problem = problemOf(`${from.name} ${table} ${row.id}`, SCHEMAS[table], row);
    // Who only looks may not write: that comes afterwards.
    if (problem !== null) setTimeout(() => void setAside(from, table, row, problem).catch(() => undefined));
    return problem === null;
  });
}

/** Moves the records of a table that are damaged out of the way. */
export async function setDamagedAside(from: Database, table: CheckedTable): Promise<void> {
  for (const row of await from.table<Keyed, string>(table).toArray()) {
    const problem = problemOf(`${from.name} ${table} ${row.id}`, SCHEMAS[table], row);
    if (problem !== null) await setAside(from, table, row, problem);
  }
}

function problemOf(key: string, schema: Schema, row: unknown): string | null {
  if (whole.has(key)) return null;
  try {
    schema.validateSync(row, { strict: true });
    whole.add(key);
    return null;
  } catch (error) {
    return error instanceof Error ? error.message : 'It cannot be read.';
  }
}

async function setAside(from: Database, table: CheckedTable, row: Keyed, problem: string): Promise<void> {
  await from.transaction('rw', from.table(table), from.setAside, async () => {
    // Somebody else may have done it meanwhile.
    if (!(await from.table<unknown, string>(table).get(row.id))) return;
    await from.setAside.add({ table, at: Date.now(), problem, record: row });
    await from.table<unknown, string>(table).delete(row.id);
  });
}
