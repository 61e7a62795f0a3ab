import Dexie from 'dexie';
import { databaseNamed, nameOwnData, ownDataName } from './database';

/** Of data that came from a file, a name that none had before. */
const ASIDE = /^metronomo-\d+$/;
const BEFORE_KEY = 'metronomo.before';

/** What was there before everything was replaced. */
export interface Before {
  name: string;
  /** Epoch milliseconds: when it was replaced. */
  at: number;
}

export function nameForAside(): string {
  return `metronomo-${Date.now()}`;
}

/** What lies aside is one's own from the next load on; what was so until now is kept. */
export function replaceOwnData(name: string): void {
  const others = dataBefore().filter((before) => before.name !== name);
  keepList([{ name: ownDataName(), at: Date.now() }, ...others]);
  nameOwnData(name);
}

/** What can be gone back to, the newest first: by `replaceOwnData` with its name. */
export function dataBefore(): Before[] {
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(BEFORE_KEY) ?? '[]');
    return Array.isArray(kept) ? kept.filter(isBefore) : [];
  } catch {
    return [];
  }
}

function isBefore(one: unknown): one is Before {
  const { name, at } = (one ?? {}) as Partial<Before>;
  return typeof name === 'string' && typeof at === 'number';
}

function keepList(all: readonly Before[]): void {
  localStorage.setItem(BEFORE_KEY, JSON.stringify(all));
}

/** Deletes it for good. */
export async function forgetBefore(name: string): Promise<void> {
  keepList(dataBefore().filter((before) => before.name !== name));
  if (name !== ownDataName()) await databaseNamed(name).delete();
}

/** What lay aside when the tab was closed goes. Call before anything is read from a file. */
export async function clearAway(): Promise<void> {
  const kept = new Set([ownDataName(), ...dataBefore().map(({ name }) => name)]);
  for (const name of await Dexie.getDatabaseNames()) if (ASIDE.test(name) && !kept.has(name)) await Dexie.delete(name);
}

/** All that was set aside because it is damaged, in the data in use. */
export function damagedText(records: readonly unknown[]): string {
  // Lists of samples are written as lists.
  const plain = (_: string, value: unknown): unknown =>
    value instanceof Float32Array || value instanceof Float64Array ? Array.from(value) : value;
  return JSON.stringify({ metronomoSetAside: 1, records }, plain, 2);
}
