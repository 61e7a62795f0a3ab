import Dexie from 'dexie';
import { database } from './database';
import type { ClockTake } from './records';
import { wholeOf } from './set-aside';

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
  return wholeOf(database, 'clockTakes', takes);
}

/** One that was under way when the tab went: what it has is kept. Gives their ids. Call once, before any begins. */
export async function markClocksInterrupted(): Promise<string[]> {
  const open = await database.clockTakes.where('status').equals('recording').toArray();
  for (const { id } of open)
    await database.clockTakes.update(id, { status: 'interrupted', ending: 'The page was closed meanwhile.' });
  return open.map(({ id }) => id);
}

/** All ticks of a take, in the order in which they came. */
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

/** Where the ticks of the clock stand that a take compares with. */
export function otherTicks(takeId: string): string {
  return `${takeId} against`;
}

/** Takes it away and gives back what undoes that. */
export async function deleteClockTake(id: string): Promise<() => Promise<void>> {
  // Another rig may be in use when it is put back.
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
