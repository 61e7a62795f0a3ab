import { database } from './database';
import type { HistoryEvent } from './records';

const MOST_LINES = 200;
const LONGEST_LINE = 1000;
const MOST_GEAR = 64;

/** Writes down what happened, in the logbook of the rig. */
export async function noteEvent(
  event: Pick<HistoryEvent, 'rigId' | 'kind' | 'lines'> & Partial<Pick<HistoryEvent, 'gearIds' | 'moves'>>,
): Promise<void> {
  await database.events.add({
    ...event,
    id: crypto.randomUUID(),
    at: Date.now(),
    lines: event.lines.slice(0, MOST_LINES).map((line) => line.slice(0, LONGEST_LINE)),
    gearIds: (event.gearIds ?? []).slice(0, MOST_GEAR),
  });
}

/** Takes it away and gives back what undoes that. */
export async function deleteEvent(event: HistoryEvent): Promise<() => Promise<void>> {
  const from = database;
  await from.events.delete(event.id);
  return async () => {
    await from.events.put(event);
  };
}
