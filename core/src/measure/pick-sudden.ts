import { secondDifferences } from './second-differences';
import { leastNoise, pickOnset, type Beginnings } from './pick-onset';

const { abs, max, min, round } = Math;

/** Bright sound just before the onset counts as noise. */
const BEFORE_MS = 5;
/** Minimum power ratio to that noise (32 dB); otherwise no result. */
const CLEAR = 40;
/** Longest rise time of a sudden sound. */
const SUDDEN_MS = 0.2;

/**
 * The onset of a sudden, bright sound on top of a duller one: searched in the second differences of the samples
 * (pre-emphasis, applied twice), which suppress a slow tone. Searches from `fromSample` to `peakSample`. Null if the
 * sound isn't sudden or isn't bright.
 */
export function pickSudden(
  samples: Float32Array,
  sampleRate: number,
  fromSample: number,
  peakSample: number,
): Beginnings | null {
  const start = max(0, fromSample - round((BEFORE_MS / 1000) * sampleRate));
  const edges = secondDifferences(samples.subarray(max(0, start - 2), min(samples.length, peakSample + 1))).subarray(
    min(2, start),
  );
  const first = fromSample - start;
  let power = 0;
  for (let i = 0; i < first; i++) power += (edges[i] as number) ** 2;
  let peakAt = first;
  for (let i = first; i < edges.length; i++) if (abs(edges[i] as number) > abs(edges[peakAt] as number)) peakAt = i;
  const peak = abs(edges[peakAt] ?? 0);
  const noise = leastNoise(power / max(1, first), peak);
  if (first < 2 || peak * peak < CLEAR * CLEAR * noise) return null;
  const { best, reaches } = pickOnset(edges, sampleRate, first, peakAt, noise);
  if (best.riseMs > SUDDEN_MS) return null;
  return {
    best: { ...best, sample: best.sample + start },
    reaches: (sample, score) => reaches(sample - start, score),
  };
}
