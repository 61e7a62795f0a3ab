import { database } from '../store/database';
import type { Take } from '../store/records';
import { analyzeTake, type LoadChannel } from './analyze-take';

/**
 * Re-analyzes a stored take from its audio without overwriting concurrent edits: notes are kept, a corrected onset
 * triggers another pass, and a take deleted in the meantime stays deleted.
 * @throws Error with a message for the musician if the take doesn't exist.
 */
export async function analyzeStored(takeId: string, load: LoadChannel, run?: Float64Array): Promise<Take> {
  for (;;) {
    const take = await database.takes.get(takeId);
    if (!take) throw new Error('This take was deleted. Choose another one.');
    const { frames, lines, computeMs = 0 } = await analyzeTake(take, load, run);
    let overtaken = false;
    await database.takes
      .where('id')
      .equals(takeId)
      .modify((now, stored) => {
        overtaken = messageOf(now) !== messageOf(take);
        if (!overtaken) stored.value = { ...now, frames, lines, computeMs };
      });
    if (!overtaken) return { ...take, frames, lines, computeMs };
  }
}

/** The user's edits to a take's lines, as a string to compare. */
function messageOf({ lines }: Take): string {
  return JSON.stringify(lines.map(({ corrections, moved }) => [corrections, moved]));
}
