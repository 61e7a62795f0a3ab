import { database } from '../store/database';
import type { Take } from '../store/records';
import { analyzeTake, type LoadChannel } from './analyze-take';

/**
 * Computes a take of the store again from its sound. What somebody says of it meanwhile is not written over: a note stays, and where
 * an onset was corrected it is computed once more. One that was deleted meanwhile stays so.
 * @throws Error in words when it is not there.
 */
export async function analyzeStored(takeId: string, load: LoadChannel, run?: Float64Array): Promise<Take> {
  for (;;) {
    const take = await database.takes.get(takeId);
    if (!take) throw new Error('That take is not here any more.');
    const { frames, lines, computeMs = 0 } = await analyzeTake(take, load, run);
    let overtaken = false;
    await database.takes
      .where('id')
      .equals(takeId)
      .modify((now, stored) => {
        overtaken = saidOf(now) !== saidOf(take);
        if (!overtaken) stored.value = { ...now, frames, lines, computeMs };
      });
    if (!overtaken) return { ...take, frames, lines, computeMs };
  }
}

/** What people say of a take's lines, as text. */
function saidOf({ lines }: Take): string {
  return JSON.stringify(lines.map(({ corrections, moved }) => [corrections, moved]));
}
