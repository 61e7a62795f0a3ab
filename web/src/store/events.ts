import Dexie from 'dexie';
import { database } from './database';
import type { HistoryEvent } from './records';
import { intactOf } from './quarantine';

const MAX_LINES = 200;
const LONGEST_LINE = 1000;
const MAX_GEAR = 64;
const MAX_LINKS = 50;

/** Logs an event in the rig's Logbook; returns its id. */
export async function noteEvent(
  event: Pick<HistoryEvent, 'rigId' | 'kind' | 'lines'> &
    Partial<Pick<HistoryEvent, 'gearIds' | 'recovered' | 'moves' | 'link'>>,
): Promise<string> {
  return database.events.add({
    ...event,
    id: crypto.randomUUID(),
    at: Date.now(),
    lines: event.lines.slice(0, MAX_LINES).map((line) => line.slice(0, LONGEST_LINE)),
    gearIds: (event.gearIds ?? []).slice(0, MAX_GEAR),
  });
}

/** Link measurements of a rig, newest first. */
export async function listLinks(rigId: string): Promise<HistoryEvent[]> {
  const found = await database.events
    .where('[rigId+kind+at]')
    .between([rigId, 'link', Dexie.minKey], [rigId, 'link', Dexie.maxKey])
    .reverse()
    .limit(MAX_LINKS)
    .toArray();
  return intactOf(database, 'events', found);
}

/** Deletes the event and returns the undo. */
export async function deleteEvent(event: HistoryEvent): Promise<() => Promise<void>> {
  const from = database;
  await from.events.delete(event.id);
  return async () => {
    await from.events.put(event);
  };
}
