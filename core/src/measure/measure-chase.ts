import { max, median, min, mode } from 'd3-array';
import { matchOnsets } from './match-onsets';

/** One start of the timecode, with the follower's hits at known positions. Times in ms on one timeline. */
export interface ChaseStart {
  /** When the code started running. */
  startedMs: number;
  /** Due times of the positions at which the follower sounds. */
  pulsesMs: ArrayLike<number>;
  onsetsMs: ArrayLike<number>;
}

export interface ChaseLanding {
  /** Time from the start to the first of a row of matched positions; null if it never ran. */
  lockMs: number | null;
  /** How late it runs once locked. */
  landsMs: number | null;
  /** Positions passed by the hub and by the follower at the stop; null if it never ran. */
  stood: { hub: number; follower: number } | null;
  /** Position of its first hit: 0 is the first after the start. Null if it never ran; missing in older takes. */
  began?: number | null;
}

/** What the chase is good enough for. */
export type ChaseFitness = 'everything' | 'playing along' | 'cues' | 'nothing';

export interface ChaseReport {
  starts: ChaseLanding[];
  /** Over the starts that ran. */
  lockMs: { median: number; worst: number } | null;
  /** `spread`: from the earliest landing to the latest, which no offset can remove. */
  landsMs: { median: number; least: number; most: number; spread: number } | null;
  failed: number;
  fitFor: ChaseFitness;
}

/** Consecutive positions that count as running. */
const ROW = 3;
/**
 * Limits for the variation between starts (common practice: two clicks within 2 ms sound like one, at 10 ms most
 * players hear a flam; tens of ms are fine for a lighting cue).
 */
export const CHASE_LIMITS_MS = { everything: 2, 'playing along': 10, cues: 50 } as const;

/**
 * How fast a follower locks to timecode, where it lands, and how much that varies between starts.
 * @throws RangeError if there are no starts.
 */
export function measureChase(
  starts: readonly ChaseStart[],
  limits: Record<keyof typeof CHASE_LIMITS_MS, number> = CHASE_LIMITS_MS,
): ChaseReport {
  if (starts.length === 0) throw new RangeError('No starts to measure. Repeat the take.');
  const landings = starts.map(landingOf);
  const locks = landings.flatMap(({ lockMs }) => lockMs ?? []);
  const lands = landings.flatMap(({ landsMs }) => landsMs ?? []);
  const failed = landings.length - lands.length;
  const [least = NaN, most = NaN] = [min(lands), max(lands)];
  const spread = most - least;
  return {
    starts: landings,
    lockMs: locks.length > 0 ? { median: median(locks) ?? NaN, worst: max(locks) ?? NaN } : null,
    landsMs: lands.length > 0 ? { median: median(lands) ?? NaN, least, most, spread } : null,
    failed,
    fitFor: chaseFitness({ failed, landsMs: lands.length === 0 ? null : { spread } }, limits),
  };
}

function landingOf({ startedMs, pulsesMs, onsetsMs }: ChaseStart): ChaseLanding {
  const { landings } = matchOnsets(pulsesMs, onsetsMs);
  const first = landings.findIndex(({ pulse }, i) => landings[i + ROW - 1]?.pulse === pulse + ROW - 1);
  const runs = first < 0 ? [] : landings.slice(first);
  const [begins] = runs;
  if (!begins) return { lockMs: null, landsMs: null, stood: null, began: null };
  const soundedMs = (pulsesMs[begins.pulse] as number) + begins.lateMs;
  const follower = (runs.at(-1)?.pulse ?? 0) + 1;
  return {
    lockMs: soundedMs - startedMs,
    landsMs: median(runs, ({ lateMs }) => lateMs) ?? null,
    stood: { hub: pulsesMs.length, follower },
    began: begins.pulse,
  };
}

/** Starts that began on another position than most did: where, from 0, and how many positions later. */
export function wrongStarts(starts: readonly ChaseLanding[]): { start: number; later: number }[] {
  const usual = mode(starts.flatMap(({ began }) => began ?? []));
  return starts.flatMap(({ began }, start) => {
    const later = began === null || began === undefined ? 0 : began - usual;
    return later === 0 ? [] : [{ start, later }];
  });
}

/** What a chase is good enough for, by the spread of its landings. */
export function chaseFitness(
  { failed, landsMs }: { failed: number; landsMs: { spread: number } | null },
  limits: Record<keyof typeof CHASE_LIMITS_MS, number>,
): ChaseFitness {
  if (failed > 0 || !landsMs) return 'nothing';
  const spreadMs = landsMs.spread;
  if (spreadMs <= limits.everything) return 'everything';
  if (spreadMs <= limits['playing along']) return 'playing along';
  return spreadMs <= limits.cues ? 'cues' : 'nothing';
}
