import { crossCorrelation } from './cross-correlation';
import { lookBack } from './look-back';

const { abs, max, round, sqrt } = Math;

/** One hit as picked on its own. */
export interface PickedHit {
  /** The first sample of its attack. */
  sample: number;
  /** Noise variance before it. */
  noise: number;
  /** Whether the hit, judged on its own, could also begin at another sample. */
  mayBegin: (sample: number) => boolean;
}

/** Stretch around the onset over which hits are compared. */
const BEFORE_MS = 3;
const AFTER_MS = 8;
/** Largest error of an individual pick to correct. */
const MAX_LAG_MS = 2;
/**
 * Two hits are the same sound if no more than this share of the energy differs, apart from noise: overall, and at the
 * onset.
 */
const LEFT_OVER = 0.015;
const LEFT_OVER_AT_BEGINNING = 0.03;
const BEGINNING_MS = 1;
/** Noise energy varies; anything beyond this many standard deviations isn't noise. */
const NOISE_DEVIATIONS = 4;
/** Two hits aren't the same sound if one is this many times louder. */
const MAX_GAIN = 4;
/** With fewer hits, their mean is no better than each of them alone. */
const MIN_HITS = 6;
/**
 * If more of them disagree about their own onset, they aren't the same sound: a free-running oscillator looks alike
 * from hit to hit wherever it begins.
 */
const MAX_AGREE = 0.9;
/** A recording contains a few recurring sounds; a hit unlike any of these keeps its own pick. */
const MAX_SHAPES = 4;
/** Shapes are learned from this many hits, then every hit is aligned to them. */
const FIRST_HITS = 32;

/** Where a hit begins, and by how much that may be too late, or too early, samples. */
export interface Beginning {
  sample: number;
  earlier: number;
  later: number;
}

/** The hits of one sound, aligned. */
interface Shape {
  /** Their mean, from `BEFORE_MS` before the onset. */
  mean: Float64Array;
  /** Noise variance remaining in the mean. */
  noise: number;
  /** Per hit: how many samples after its own pick the others place its onset. */
  lags: Map<number, number>;
}

/**
 * Lets hits of the same sound agree on their onset. An individual pick may be a little early or late because of the
 * noise before it. Aligned by cross-correlation, all hits together show how far each pick was off, and the onset is
 * then picked in their mean, where the noise has shrunk: the method seismologists use for repeating events (VanDecar
 * and Crosson 1990). In a longer mean, a quiet beginning emerges that no single hit shows (`lookBack`). A hit unlike any
 * other keeps its pick. `pick` finds the onset in such a mean, in samples from its start, given its noise variance.
 * Returns the beginnings in the order of `hits`.
 */
export function alignSimilar(
  samples: Float32Array,
  sampleRate: number,
  hits: readonly PickedHit[],
  pick: (mean: Float32Array, noise: number) => number,
  mask = 0,
): Beginning[] {
  const begins = hits.map(({ sample }): Beginning => ({ sample, earlier: 0, later: 0 }));
  if (hits.length < MIN_HITS) return begins;
  const inSamples = (ms: number) => round((ms / 1000) * sampleRate);
  const stretch: Stretch = {
    samples,
    before: inSamples(BEFORE_MS),
    length: inSamples(BEFORE_MS + AFTER_MS),
    mostLag: inSamples(MAX_LAG_MS),
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
    const agree = agreed.length >= MAX_AGREE * lags.size;
    if (agree) for (const { index, sample } of agreed) begins[index] = { sample, earlier: 0, later: 0 };
    const alike = agree ? agreed.map(({ index }) => index) : [...lags.keys()];
    const { before: quiet, ...within } = lookBack(
      samples,
      sampleRate,
      alike.map((index) => (begins[index] as Beginning).sample),
      mask,
    );
    for (const index of alike) begins[index] = { sample: (begins[index] as Beginning).sample - quiet, ...within };
  }
  return begins;
}

/** The stretch of the recording to compare, in samples. */
interface Stretch {
  samples: Float32Array;
  before: number;
  length: number;
  mostLag: number;
  beginning: number;
}

/**
 * Assigns each hit to the first known shape it fits; while none are known, a hit that fits none starts one. Returns the
 * shapes shared by enough hits, most common first.
 */
function sortByShape(stretch: Stretch, hits: readonly PickedHit[], known: readonly Shape[]): Shape[] {
  const shapes = known.map(() => emptyShape(stretch));
  for (const [index, hit] of hits.entries()) {
    const fits = (known.length > 0 ? known : shapes).some((shape, i) => {
      const lag = lagOf(stretch, hit, shape);
      if (lag !== null) addHit(stretch, shapes[i] as Shape, index, hit, lag);
      return lag !== null;
    });
    if (!fits && known.length === 0 && shapes.length < MAX_SHAPES)
      addHit(stretch, (shapes[shapes.length] = emptyShape(stretch)), index, hit, 0);
  }
  return shapes.filter(({ lags }) => lags.size >= MIN_HITS).sort((a, b) => b.lags.size - a.lags.size);
}

function emptyShape({ length }: Stretch): Shape {
  return { mean: new Float64Array(length), noise: 0, lags: new Map() };
}

function addHit({ samples, before }: Stretch, shape: Shape, index: number, hit: PickedHit, lag: number): void {
  shape.lags.set(index, lag);
  const { mean } = shape;
  const count = shape.lags.size;
  const from = hit.sample + lag - before;
  for (let i = 0; i < mean.length; i++)
    mean[i] = (mean[i] as number) + ((samples[from + i] ?? 0) - (mean[i] as number)) / count;
  shape.noise = (shape.noise * (count - 1) ** 2 + hit.noise) / count ** 2;
}

/** The best lag of the hit against the shape; null if it is another sound. */
function lagOf({ samples, before, beginning, mostLag }: Stretch, hit: PickedHit, shape: Shape): number | null {
  const { mean } = shape;
  const first = hit.sample - before - mostLag;
  const sound = Float64Array.from(samples.subarray(max(0, first), first + mean.length + 2 * mostLag));
  if (first < 0 || sound.length < mean.length + 2 * mostLag) return null;
  const { product, at } = bestFit(sound, mean);
  // The noise in the mean isn't part of the sound.
  const gain = product / (sumOfSquares(mean) - mean.length * shape.noise);
  if (!(gain > 1 / MAX_GAIN && gain < MAX_GAIN)) return null;
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

/** The lag at which a shape explains the largest share of the energy, at any gain. */
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
