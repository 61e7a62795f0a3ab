import { median } from 'd3-array';
import type { Hit } from './find-bar-start';

/** The input that heard something, and how that is known. */
export interface HeardOnInput {
  channel: number;
  /** How many of the sounds it heard, and how long after they were sent, ms. */
  heard: number;
  of: number;
  lagMs: number;
  /** Peak of the hits, 0..1. */
  level: number;
  /** No other input heard as many of them nearly as loud. */
  sure: boolean;
}

/** A device, its cables and the audio path are no slower. */
const LONGEST_LAG_MS = 450;
/** Hits at a constant lag scatter by no more than this. */
const SCATTER_MS = 15;
const LEAST_HEARD = 3;
/** Bleed is quieter than the sound itself: 4 dB. */
const STANDS_OUT = 1.58;

/**
 * The input on which sounds sent at `sentMs` came back: all of them, or most, at one lag. `hits`: by channel, on the same
 * timeline. Null if no input heard at least three.
 */
export function whichInput(
  hits: readonly (readonly Hit[])[],
  sentMs: readonly number[],
  ignored: ReadonlySet<number> = new Set(),
): HeardOnInput | null {
  const all = hits.flatMap((here, channel) => {
    const found = ignored.has(channel) ? null : onOne(here, sentMs);
    return found ? [{ channel, ...found, of: sentMs.length }] : [];
  });
  const best = all.reduce<(typeof all)[number] | null>(
    (most, one) =>
      !most || one.heard > most.heard || (one.heard === most.heard && one.level > most.level) ? one : most,
    null,
  );
  if (!best) return null;
  const sure = all.every((one) => one === best || one.heard < best.heard || one.level * STANDS_OUT < best.level);
  return { ...best, sure };
}

function onOne(
  hits: readonly Hit[],
  sentMs: readonly number[],
): Pick<HeardOnInput, 'heard' | 'lagMs' | 'level'> | null {
  const lags = sentMs.flatMap((sent) =>
    hits.map(({ atMs }) => atMs - sent).filter((lag) => lag > -SCATTER_MS && lag < LONGEST_LAG_MS),
  );
  const matchedAt = (lag: number) =>
    sentMs.flatMap((sent) => {
      const near = hits.filter(({ atMs }) => Math.abs(atMs - sent - lag) < SCATTER_MS);
      return near.length === 0 ? [] : [near.reduce((loud, hit) => (hit.level > loud.level ? hit : loud))];
    });
  const best = lags.map(matchedAt).reduce<Hit[]>((most, one) => (one.length > most.length ? one : most), []);
  if (best.length < Math.min(LEAST_HEARD, sentMs.length)) return null;
  const lagOf = (hit: Hit) => Math.min(...sentMs.map((sent) => hit.atMs - sent).filter((lag) => lag > -SCATTER_MS));
  return { heard: best.length, lagMs: median(best, lagOf) ?? 0, level: median(best, ({ level }) => level) ?? 0 };
}
