import Dexie from 'dexie';
import { databaseNamed, nameOwnData, ownDataName } from './database';

/** Names of imported databases, unique by number. */
const IMPORTED_NAME = /^metronomo-\d+$/;
const REPLACED_KEY = 'metronomo.before';

/** Data that was replaced. */
export interface ReplacedDatabase {
  name: string;
  /** Epoch milliseconds of the replacement. */
  at: number;
}

export function newDatabaseName(): string {
  return `metronomo-${Date.now()}`;
}

/** From the next load on, this database is your own; the current one is kept. */
export function replaceOwnData(name: string): void {
  const others = replacedDatabases().filter((before) => before.name !== name);
  storeList([{ name: ownDataName(), at: Date.now() }, ...others]);
  nameOwnData(name);
}

/** Data that can be restored, newest first: pass its name to `replaceOwnData`. */
export function replacedDatabases(): ReplacedDatabase[] {
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(REPLACED_KEY) ?? '[]');
    return Array.isArray(kept) ? kept.filter(isReplacedDatabase) : [];
  } catch {
    return [];
  }
}

function isReplacedDatabase(one: unknown): one is ReplacedDatabase {
  const { name, at } = (one ?? {}) as Partial<ReplacedDatabase>;
  return typeof name === 'string' && typeof at === 'number';
}

function storeList(all: readonly ReplacedDatabase[]): void {
  localStorage.setItem(REPLACED_KEY, JSON.stringify(all));
}

/** Deletes it permanently. */
export async function deleteReplaced(name: string): Promise<void> {
  storeList(replacedDatabases().filter((before) => before.name !== name));
  if (name !== ownDataName()) await databaseNamed(name).delete();
}

/** Deletes previews left over from a closed tab. Call before importing anything. */
export async function deleteLeftovers(): Promise<void> {
  const kept = new Set([ownDataName(), ...replacedDatabases().map(({ name }) => name)]);
  for (const name of await Dexie.getDatabaseNames())
    if (IMPORTED_NAME.test(name) && !kept.has(name)) await Dexie.delete(name);
}

/** The damaged records of the current database, as JSON. */
export function damagedText(records: readonly unknown[]): string {
  // Typed arrays become plain lists.
  const plain = (_: string, value: unknown): unknown =>
    value instanceof Float32Array || value instanceof Float64Array ? Array.from(value) : value;
  return JSON.stringify({ metronomoSetAside: 1, records }, plain, 2);
}
