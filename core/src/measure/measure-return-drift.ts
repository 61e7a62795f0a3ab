import { mean } from 'd3-array';
import { fitLine, NORMAL_95, type LineFit } from '../maths/fit-line';
import type { DriftReport } from './measure-drift';

const MIN_BEATS = 16;
/** Correlated noise is averaged over blocks of this many beats first. */
const BLOCK_BEATS = 16;
const MIN_BLOCKS = 4;

/**
 * Drift of a return from the grid: the least-squares slope of its landings, with a 95% interval from block means that
 * widens where neighboring beats are correlated. `dueMs`: due time of each beat; `lateMs`: its lateness.
 * @throws RangeError if there are fewer than sixteen beats.
 */
export function measureReturnDrift(
  landings: readonly { dueMs: number; lateMs: number }[],
  songMinutes = 4,
): DriftReport {
  const n = landings.length;
  if (n < MIN_BEATS)
    throw new RangeError(
      `Too few beats: ${n} heard, at least ${MIN_BEATS} needed to measure drift. Check the level, or measure longer.`,
    );
  const line = lineOf(landings);
  const blocks: { dueMs: number; lateMs: number }[] = [];
  for (let from = 0; from + BLOCK_BEATS <= n; from += BLOCK_BEATS) {
    const part = landings.slice(from, from + BLOCK_BEATS);
    blocks.push({ dueMs: mean(part, ({ dueMs }) => dueMs) ?? 0, lateMs: mean(part, ({ lateMs }) => lateMs) ?? 0 });
  }
  const blocked = blocks.length < MIN_BLOCKS ? 0 : lineOf(blocks).slopeError;
  // Increasingly late means slow.
  const ppm = -line.slope * 1e6;
  const half = NORMAL_95 * Math.max(line.slopeError, blocked) * 1e6;
  return {
    ppm,
    ci95Ppm: [ppm - half, ppm + half],
    msPerSong: (ppm * songMinutes * 60_000) / 1e6,
    told: Math.abs(ppm) > half,
  };
}

function lineOf(points: readonly { dueMs: number; lateMs: number }[]): LineFit {
  return fitLine(
    points.map(({ dueMs }) => dueMs),
    points.map(({ lateMs }) => lateMs),
  );
}
