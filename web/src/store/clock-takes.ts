import Dexie from 'dexie';
import { database } from './database';
import type { ClockTake } from './records';
import { intactOf } from './quarantine';
import { updateOrHold } from './unsaved';

/** Newest first. */
export async function listClockTakes(rigId: string): Promise<ClockTake[]> {
  const between = [
    [rigId, Dexie.minKey],
    [rigId, Dexie.maxKey],
  ];
  const takes = await database.clockTakes
    .where('[rigId+startedAt]')
    .between(between[0], between[1])
    .reverse()
    .toArray();
  return intactOf(database, 'clockTakes', takes);
}

/**
 * Takes whose recorder is gone: what they have is kept, with the reason. Returns their ids. Call while none is running.
 */
export async function markClocksInterrupted(ending: string): Promise<string[]> {
  const open = await database.clockTakes.where('status').equals('recording').toArray();
  for (const { id } of open) await updateOrHold(database.clockTakes, id, { status: 'interrupted', ending });
  return open.map(({ id }) => id);
}

/** The same for one take whose recorder was lost. */
export async function markClockInterrupted(id: string, ending: string): Promise<void> {
  await updateOrHold(database.clockTakes, id, { status: 'interrupted', ending });
}

/** One take; null if it is missing or damaged. */
export async function loadClockTake(id: string): Promise<ClockTake | null> {
  const take = await database.clockTakes.get(id);
  return intactOf(database, 'clockTakes', take ? [take] : [])[0] ?? null;
}

/** All ticks of a take, in order. */
export async function loadTicks(takeId: string): Promise<Float64Array> {
  const chunks = await ticksOf(takeId).toArray();
  const all = new Float64Array(chunks.reduce((sum, { times }) => sum + times.length, 0));
  let at = 0;
  for (const { times } of chunks) {
    all.set(times, at);
    at += times.length;
  }
  return all;
}

export function ticksOf(takeId: string) {
  return database.ticks.where('[takeId+index]').between([takeId, Dexie.minKey], [takeId, Dexie.maxKey]);
}

/** Key of the comparison clock's ticks. */
export function otherTicks(takeId: string): string {
  return `${takeId} against`;
}

/** Deletes the take and returns the undo. */
export async function deleteClockTake(id: string): Promise<() => Promise<void>> {
  // Another rig may be current when it is restored.
  const from = database;
  const take = await from.clockTakes.get(id);
  const chunks = [...(await ticksOf(id).toArray()), ...(await ticksOf(otherTicks(id)).toArray())];
  await from.transaction('rw', from.clockTakes, from.ticks, async () => {
    await from.clockTakes.delete(id);
    await from.ticks.bulkDelete(chunks.map(({ takeId, index }) => [takeId, index]));
  });
  return async () => {
    if (take) await from.clockTakes.put(take);
    await from.ticks.bulkPut(chunks);
  };
}
