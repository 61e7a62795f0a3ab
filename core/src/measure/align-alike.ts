import { crossCorrelation } from './cross-correlation';

const { abs, max, round, sqrt } = Math;

/** One hit as it was picked alone. */
export interface PickedHit {
  /** Where its attack begins. */
  sample: number;
  /** Variance of what was there before it. */
  noise: number;
  /** Whether the hit itself, heard alone, could begin at another sample. */
  mayBegin: (sample: number) => boolean;
}

/** Hits are compared over this stretch around where they begin. */
const BEFORE_MS = 3;
const AFTER_MS = 8;
/** A hit may have been picked this much too early or too late. */
const MOST_LAG_MS = 2;
/** Two hits are the same sound when no more than this part of it differs, besides noise: in all, and where it begins. */
const LEFT_OVER = 0.015;
const LEFT_OVER_AT_BEGINNING = 0.03;
const BEGINNING_MS = 1;
/** The energy of noise varies; what goes beyond so many standard deviations is no noise. */
const NOISE_DEVIATIONS = 4;
/** Nor are two hits the same sound when one is this many times as loud. */
const MOST_GAIN = 4;
/** With fewer hits their mean tells no more than each of them alone. */
const LEAST_HITS = 6;
/** When more of them say by themselves that they begin elsewhere, they are not the same sound: an oscillator that runs
 *  free looks alike from hit to hit wherever it begins. */
const MOST_AGREE = 0.9;
/** A recording holds a few sounds that come again and again; a hit that is like none of these is let be. */
const MOST_SHAPES = 4;
/** The shapes are found among so many hits; then all are laid on them. */
const FIRST_HITS = 32;

/** The hits of one sound, laid on each other. */
interface Shape {
  /** Their mean, from `BEFORE_MS` before the place where they begin. */
  mean: Float64Array;
  /** Variance of the noise that is left in the mean. */
  noise: number;
  /** For each hit, how many samples after its own pick it begins by the others' account. */
  lags: Map<number, number>;
}

/**
 * Lets hits of the same sound agree on where it begins. Each hit alone may be picked a little early or late for the noise
 * just before it. Laid on each other by cross-correlation, all of them together tell how far each was off, and their
 * mean, in which the noise has shrunk, tells where the sound begins: what seismologists do with events that repeat
 * (VanDecar and Crosson 1990). A hit that is like no other stays as it was picked.
 *
 * `pick` finds the beginning in such a mean, in samples from its first, given the variance of its noise. Gives whole
 * samples in the order of `hits`.
 */
export function alignAlike(
  samples: Float32Array,
  sampleRate: number,
  hits: readonly PickedHit[],
  pick: (mean: Float32Array, noise: number) => number,
): number[] {
  const begins = hits.map(({ sample }) => sample);
  if (hits.length < LEAST_HITS) return begins;
  const inSamples = (ms: number) => round((ms / 1000) * sampleRate);
  const stretch: Stretch = {
    samples,
    before: inSamples(BEFORE_MS),
    length: inSamples(BEFORE_MS + AFTER_MS),
    mostLag: inSamples(MOST_LAG_MS),
    beginning: inSamples(BEGINNING_MS),
  };
  const found = sortByShape(stretch, hits.slice(0, FIRST_HITS), []);
  const shapes = found.length > 0 ? sortByShape(stretch, hits, found) : [];
  for (const { mean, noise, lags } of shapes) {
    const shift = pick(Float32Array.from(mean), noise) - stretch.before;
    const agreed = [...lags].flatMap(([index, lag]) => {
      const hit = hits[index] as PickedHit;
      const sample = hit.sample + lag + shift;
      return hit.mayBegin(sample) ? [{ index, sample }] : [];
    });
    if (agreed.length < MOST_AGREE * lags.size) continue;
    for (const { index, sample } of agreed) begins[index] = sample;
  }
  return begins;
}

/** What of a recording is compared, all in samples. */
interface Stretch {
  samples: Float32Array;
  before: number;
  length: number;
  mostLag: number;
  beginning: number;
}

/**
 * Lays each hit on the first of the known shapes that it fits; where none are known yet, a hit that fits none begins one.
 * Gives the shapes that enough hits agree on, the most common first.
 */
function sortByShape(stretch: Stretch, hits: readonly PickedHit[], known: readonly Shape[]): Shape[] {
  const shapes = known.map(() => empty(stretch));
  for (const [index, hit] of hits.entries()) {
    const fits = (known.length > 0 ? known : shapes).some((shape, i) => {
      const lag = lagOf(stretch, hit, shape);
      if (lag !== null) lay(stretch, shapes[i] as Shape, index, hit, lag);
      return lag !== null;
    });
    if (!fits && known.length === 0 && shapes.length < MOST_SHAPES)
      lay(stretch, (shapes[shapes.length] = empty(stretch)), index, hit, 0);
  }
  return shapes.filter(({ lags }) => lags.size >= LEAST_HITS).sort((a, b) => b.lags.size - a.lags.size);
}

function empty({ length }: Stretch): Shape {
  return { mean: new Float64Array(length), noise: 0, lags: new Map() };
}

function lay({ samples, before }: Stretch, shape: Shape, index: number, hit: PickedHit, lag: number): void {
  shape.lags.set(index, lag);
  const { mean } = shape;
  const count = shape.lags.size;
  const from = hit.sample + lag - before;
  for (let i = 0; i < mean.length; i++)
    mean[i] = (mean[i] as number) + ((samples[from + i] ?? 0) - (mean[i] as number)) / count;
  shape.noise = (shape.noise * (count - 1) ** 2 + hit.noise) / count ** 2;
}

/** Where the hit lies best on the shape; null when it is another sound. */
function lagOf({ samples, before, beginning, mostLag }: Stretch, hit: PickedHit, shape: Shape): number | null {
  const { mean } = shape;
  const first = hit.sample - before - mostLag;
  const sound = Float64Array.from(samples.subarray(max(0, first), first + mean.length + 2 * mostLag));
  if (first < 0 || sound.length < mean.length + 2 * mostLag) return null;
  const { product, at } = bestFit(sound, mean);
  // The noise in the mean is no part of the sound.
  const gain = product / (sumOfSquares(mean) - mean.length * shape.noise);
  if (!(gain > 1 / MOST_GAIN && gain < MOST_GAIN)) return null;
  const noise = hit.noise + gain ** 2 * shape.noise;
  const scaled = mean.map((value) => gain * value);
  const left = scaled.map((value, i) => (sound[at + i] as number) - value);
  const alike = (from: number, to: number, share: number) => {
    const noiseAlone = noise * (to - from + NOISE_DEVIATIONS * sqrt(2 * (to - from)));
    return sumOfSquares(left.subarray(from, to)) < noiseAlone + share * sumOfSquares(scaled.subarray(from, to));
  };
  const same =
    alike(0, mean.length, LEFT_OVER) && alike(before - beginning, before + beginning, LEFT_OVER_AT_BEGINNING);
  return same ? at - mostLag : null;
}

/** Where in the sound a shape explains the largest part of the energy that is there, at any gain. */
function bestFit(sound: Float64Array, shape: Float64Array): { product: number; at: number } {
  let best = { product: 0, at: 0 };
  let bestShare = -Infinity;
  let energy = sumOfSquares(sound.subarray(0, shape.length));
  for (const [at, product] of crossCorrelation(sound, shape).entries()) {
    const share = (product * abs(product)) / energy;
    if (share > bestShare) {
      best = { product, at };
      bestShare = share;
    }
    energy += (sound[at + shape.length] ?? 0) ** 2 - (sound[at] as number) ** 2;
  }
  return best;
}

function sumOfSquares(values: Float64Array): number {
  let sum = 0;
  for (const value of values) sum += value ** 2;
  return sum;
}
