import Dexie from 'dexie';
import { database } from './database';
import type { HistoryEvent } from './records';
import { wholeOf } from './set-aside';

const MOST_LINES = 200;
const LONGEST_LINE = 1000;
const MOST_GEAR = 64;
const MOST_LINKS = 50;

/** Writes down what happened, in the logbook of the rig; gives its id. */
export async function noteEvent(
  event: Pick<HistoryEvent, 'rigId' | 'kind' | 'lines'> & Partial<Pick<HistoryEvent, 'gearIds' | 'moves' | 'link'>>,
): Promise<string> {
  return database.events.add({
    ...event,
    id: crypto.randomUUID(),
    at: Date.now(),
    lines: event.lines.slice(0, MOST_LINES).map((line) => line.slice(0, LONGEST_LINE)),
    gearIds: (event.gearIds ?? []).slice(0, MOST_GEAR),
  });
}

/** The network links that were measured in a rig, newest first. */
export async function listLinks(rigId: string): Promise<HistoryEvent[]> {
  const found = await database.events
    .where('[rigId+kind+at]')
    .between([rigId, 'link', Dexie.minKey], [rigId, 'link', Dexie.maxKey])
    .reverse()
    .limit(MOST_LINKS)
    .toArray();
  return wholeOf(database, 'events', found);
}

/** Takes it away and gives back what undoes that. */
export async function deleteEvent(event: HistoryEvent): Promise<() => Promise<void>> {
  const from = database;
  await from.events.delete(event.id);
  return async () => {
    await from.events.put(event);
  };
}
