import { leastNoise, pickOnset, type Beginnings } from './pick-onset';

const { abs, max, min, round } = Math;

/** What is bright just before is noise to what begins. */
const BEFORE_MS = 5;
/** It stands this far out of that (32 dB), or nothing is said. */
const CLEAR = 40;
/** A sound is sudden that rises in no more than this. */
const SUDDEN_MS = 0.2;

/**
 * Where a sound begins that is sudden and bright, though something duller rings under it: the beginning is sought in the second
 * differences of the samples (the pre-emphasis of speech processing, twice), which leave next to nothing of a slow tone. It may
 * lie from `fromSample` to `peakSample`. Null when it is not sudden, or not bright.
 */
export function pickSudden(
  samples: Float32Array,
  sampleRate: number,
  fromSample: number,
  peakSample: number,
): Beginnings | null {
  const start = max(0, fromSample - round((BEFORE_MS / 1000) * sampleRate));
  const edges = secondDifferences(samples, start, min(samples.length, peakSample + 1));
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

/** Each stands at the last sample of the three, so that none begins before the sound does. */
function secondDifferences(samples: Float32Array, from: number, to: number): Float32Array {
  const at = (i: number) => samples[i] ?? 0;
  return Float32Array.from(
    { length: max(0, to - from) },
    (_, i) => at(from + i) - 2 * at(from + i - 1) + at(from + i - 2),
  );
}
