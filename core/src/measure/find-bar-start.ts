/** A hit as it was heard: when, in ms, and its peak, 0..1. */
export interface Hit {
  atMs: number;
  level: number;
}

/** Places in a beat that count as one; players and samples scatter by a few milliseconds. */
const PLACES_A_BEAT = 4;
/** It has to be heard in this many bars, and be this much louder than any other place: 1.5 dB. */
const LEAST_BARS = 3;
const STANDS_OUT = 1.19;

/**
 * The newest start of a bar by sound alone, ms: the place in the bar whose hits are loudest. Null unless it is hit in each
 * of the last three bars and stands out from every other place. `barMs`: length of a bar, ms.
 */
export function findBarStart(
  hits: readonly Hit[],
  { barMs, beatMs }: { barMs: number; beatMs: number },
): number | null {
  const newest = hits.at(-1);
  if (!newest) return null;
  const places = Math.round((PLACES_A_BEAT * barMs) / beatMs);
  /** By place in the bar, counted back from the newest hit: peaks, and the bars in which it was hit. */
  const heard = new Map<number, { levels: number[]; bars: Set<number>; newestMs: number }>();
  for (const { atMs, level } of hits) {
    const back = Math.round(((newest.atMs - atMs) / barMs) * places);
    const place = heard.get(back % places) ?? { levels: [], bars: new Set<number>(), newestMs: atMs };
    place.levels.push(level);
    place.bars.add(Math.floor(back / places));
    place.newestMs = Math.max(place.newestMs, atMs);
    heard.set(back % places, place);
  }
  const loudness = ({ levels }: { levels: number[] }) =>
    [...levels].sort((a, b) => a - b)[Math.floor(levels.length / 2)] ?? 0;
  const [first, second] = [...heard.values()].sort((a, b) => loudness(b) - loudness(a));
  if (!first || !Array.from({ length: LEAST_BARS }).every((_, bar) => first.bars.has(bar))) return null;
  return !second || loudness(first) > STANDS_OUT * loudness(second) ? first.newestMs : null;
}
