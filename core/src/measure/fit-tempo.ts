import { median } from 'd3-array';
import { fitLine } from '../maths/fit-line';

/** Fewer hits don't determine a tempo. */
const FEWEST = 3;

/**
 * The tempo of evenly spaced hits, in BPM: least squares of time against beat number, counting a gap of two beats as
 * two. `null` if there are too few.
 */
export function fitTempo(timesMs: readonly number[]): number | null {
  const intervalMs = median(timesMs.slice(1), (ms, i) => ms - (timesMs[i] as number));
  if (timesMs.length < FEWEST || !intervalMs || intervalMs <= 0) return null;
  let beat = 0;
  const beats = timesMs.map(
    (ms, i) => (beat += i === 0 ? 0 : Math.round((ms - (timesMs[i - 1] as number)) / intervalMs)),
  );
  const { slope } = fitLine(beats, timesMs);
  return slope > 0 ? 60_000 / slope : null;
}
