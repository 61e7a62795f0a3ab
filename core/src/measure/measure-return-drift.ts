import { mean } from 'd3-array';
import type { DriftReport } from './measure-drift';

const NORMAL_95 = 1.96;
const FEWEST_BEATS = 16;
/** Noise that goes on from one beat to the next is averaged over so many of them first. */
const BLOCK_BEATS = 16;
const FEWEST_BLOCKS = 4;

/**
 * How fast a return wanders from the grid: the slope of the line of least squares through its landings, with a 95 % interval that
 * blocks of beats widen where the noise of neighbours is alike. `dueMs`: when each beat was due; `lateMs`: how late it was
 * heard.
 * @throws RangeError when there are fewer than sixteen beats.
 */
export function measureReturnDrift(
  landings: readonly { dueMs: number; lateMs: number }[],
  songMinutes = 4,
): DriftReport {
  const n = landings.length;
  if (n < FEWEST_BEATS) throw new RangeError(`A drift is told from ${FEWEST_BEATS} beats at least; ${n} were heard.`);
  const line = fit(landings);
  const blocks: { dueMs: number; lateMs: number }[] = [];
  for (let from = 0; from + BLOCK_BEATS <= n; from += BLOCK_BEATS) {
    const part = landings.slice(from, from + BLOCK_BEATS);
    blocks.push({ dueMs: mean(part, ({ dueMs }) => dueMs) ?? 0, lateMs: mean(part, ({ lateMs }) => lateMs) ?? 0 });
  }
  const blocked = blocks.length < FEWEST_BLOCKS ? 0 : fit(blocks).slopeError;
  // Later and later is slower.
  const ppm = -line.slope * 1e6;
  const half = NORMAL_95 * Math.max(line.slopeError, blocked) * 1e6;
  return {
    ppm,
    ci95Ppm: [ppm - half, ppm + half],
    msPerSong: (ppm * songMinutes * 60_000) / 1e6,
    told: Math.abs(ppm) > half,
  };
}

function fit(points: readonly { dueMs: number; lateMs: number }[]): { slope: number; slopeError: number } {
  const atMean = mean(points, ({ dueMs }) => dueMs) ?? 0;
  const lateMean = mean(points, ({ lateMs }) => lateMs) ?? 0;
  let [xx, xy] = [0, 0];
  for (const { dueMs, lateMs } of points) {
    xx += (dueMs - atMean) ** 2;
    xy += (dueMs - atMean) * (lateMs - lateMean);
  }
  const slope = xy / xx;
  const rest = points.reduce((sum, { dueMs, lateMs }) => sum + (lateMs - lateMean - slope * (dueMs - atMean)) ** 2, 0);
  return { slope, slopeError: Math.sqrt(rest / (points.length - 2) / xx) };
}
