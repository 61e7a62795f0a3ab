import Dexie from 'dexie';
import { databaseNamed, nameOwnData, ownDataName } from './database';

/** Of data that came from a file, a name that none had before. */
const ASIDE = /^metronomo-\d+$/;
const BEFORE_KEY = 'metronomo.before';

/** What was there before everything was replaced. */
interface Before {
  name: string;
  /** Epoch milliseconds: when it was replaced. */
  at: number;
}

export function nameForAside(): string {
  return `metronomo-${Date.now()}`;
}

/** What lies aside is one's own from the next load on; what was so until now is kept. */
export function replaceOwnData(name: string): void {
  const before: Before = { name: ownDataName(), at: Date.now() };
  localStorage.setItem(BEFORE_KEY, JSON.stringify(before));
  nameOwnData(name);
}

export function dataBefore(): Before | null {
  try {
    const before = JSON.parse(localStorage.getItem(BEFORE_KEY) ?? 'null') as Partial<Before> | null;
    return typeof before?.name === 'string' && typeof before.at === 'number' ? (before as Before) : null;
  } catch {
    return null;
  }
}

/** As it was before everything was replaced, from the next load on. What replaced it is kept in its place. */
export function goBackToBefore(): void {
  const before = dataBefore();
  if (before) replaceOwnData(before.name);
}

export async function forgetBefore(): Promise<void> {
  const before = dataBefore();
  localStorage.removeItem(BEFORE_KEY);
  if (before && before.name !== ownDataName()) await databaseNamed(before.name).delete();
}

/** What lay aside when the tab was closed, and what nobody can go back to any more, goes. Call before anything is read from a file. */
export async function clearAway(): Promise<void> {
  const kept = new Set([ownDataName(), dataBefore()?.name]);
  for (const name of await Dexie.getDatabaseNames()) if (ASIDE.test(name) && !kept.has(name)) await Dexie.delete(name);
}

/** All that was set aside because it is damaged, in the data in use. */
export function damagedText(records: readonly unknown[]): string {
  // Lists of samples are written as lists.
  const plain = (_: string, value: unknown): unknown =>
    value instanceof Float32Array || value instanceof Float64Array ? Array.from(value) : value;
  return JSON.stringify({ metronomoSetAside: 1, records }, plain, 2);
}
