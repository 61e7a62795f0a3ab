import { predictorOf, unpredicted } from './linear-prediction';

const { abs, ceil, log10, max, min, round, sqrt } = Math;

/** How far before its loud part a hit may begin, and how much audio before that shows the noise. */
const MOST_MS = 46;
const NOISE_MS = 24;
/** The loud part is within this time. */
const LOUD_MS = 40;
/** A pause longer than this separates what comes before from the hit. */
const PAUSE_MS = 4;
const SHORT_PAUSE_MS = 2;
/**
 * An attack begins at this level below its peak (-50 dB), or where it emerges from the noise. What begins softly can't be
 * placed better than between these levels (-60 and -40 dB).
 */
const BEGINS_AT = 10 ** (-50 / 20);
const EARLIEST_AT = 10 ** (-60 / 20);
const LATEST_AT = 10 ** (-40 / 20);
const CLEAR_OF_NOISE = 4.5;
/** A beginning this close to the one known is the same. */
const SAME_MS = 0.25;
/** What rings on isn't predicted perfectly. */
const SURPRISE = 1.5;
/** Noise for a millisecond has less than this many times its mean power, by five deviations (chi-square). */
const SWELL_POWER = 2;
const SWELL_MS = 1;
const SWELL_STEPS = 4;
/** The first sample that isn't predicted may precede the -50 dB point by this much. */
const FOOT_MS = 1.2;
/** How long a quiet beginning takes to rise by a decibel, ms: our choice, from the instruments of a common sound font. */
const RISES_MS_PER_DB = 0.06;
/** An attack in the noise is extrapolated from the time it takes to double, with some reserve. */
const RESERVE = 1.5;
const MOST_HIDDEN_MS = 3;
const MOST_HITS = 256;

/** Where hits of one sound begin, relative to a known place, samples. */
export interface FirstHeard {
  before: number;
  /** By how much that may be too late, or too early. */
  earlier: number;
  later: number;
}

/**
 * Many instruments begin with a pluck, breath or hammer far below their peak. In the mean over all hits, aligned at
 * `places`, such a beginning rises above the noise, while what is different before each hit averages out. An attack may
 * begin below the noise, and earlier by as long as it takes to rise above it in a straight line. `mask`: what is quieter
 * than this may be something else, 0..1.
 */
export function lookBack(samples: Float32Array, sampleRate: number, places: readonly number[], mask = 0): FirstHeard {
  const inSamples = (ms: number) => round((ms / 1000) * sampleRate);
  const [known, loud] = [inSamples(NOISE_MS + MOST_MS), inSamples(LOUD_MS)];
  const every = max(1, ceil(places.length / MOST_HITS));
  const used = places.filter((at, i) => i % every === 0 && at >= known && at + loud <= samples.length);
  if (used.length === 0) return { before: 0, earlier: 0, later: 0 };
  const mean = new Float64Array(known + loud);
  for (const at of used)
    for (let i = 0; i < mean.length; i++)
      mean[i] = (mean[i] as number) + (samples[at - known + i] as number) / used.length;
  const pause = inSamples(PAUSE_MS);
  const quiet = inSamples(NOISE_MS);
  const peak = largest(mean, 0, mean.length);
  const heard = max(noiseIn(mean, quiet), mask);
  const isHidden = heard > BEGINS_AT * peak;
  const clear = isHidden && heard > mask ? unpredicted(mean, predictorOf(mean, quiet)) : mean;
  const least = clear === mean ? heard : noiseIn(clear, quiet);
  const loudest = largest(clear, known, known + pause);
  const audible = clear === mean ? max(BEGINS_AT * peak, least) : max(SURPRISE * least, (mask / peak) * loudest);
  const heardFrom = firstOf(clear, known, audible, clear === mean ? pause : inSamples(SHORT_PAUSE_MS));
  const window = inSamples(SWELL_MS);
  const swell = { quiet, window, most: inSamples(MOST_HIDDEN_MS), level: EARLIEST_AT * loudest };
  const first = clear === mean ? heardFrom : swellsFrom(clear, heardFrom, swell);
  const over = (values: Float64Array, level: number) => {
    let at = first;
    while (at < values.length - 1 && abs(values[at] as number) < level) at++;
    return at - first;
  };
  const hiddenMs = RISES_MS_PER_DB * max(0, 20 * log10(audible / (EARLIEST_AT * loudest)));
  const rises = min(RESERVE * over(clear, 2 * audible), inSamples(MOST_HIDDEN_MS));
  const hidden = isHidden ? max(rises, inSamples(hiddenMs)) : 0;
  const foot = isHidden ? 0 : first - firstOf(mean, first, max(EARLIEST_AT * peak, least), pause);
  return {
    before: known - first > inSamples(SAME_MS) ? known - first : 0,
    earlier: max(foot, hidden),
    later: max(clear === mean ? over(mean, LATEST_AT * peak) : inSamples(FOOT_MS), over(clear, audible)),
  };
}

/**
 * Before a sample that stands out: what doesn't, but lasts, by `most` samples. The first `quiet` samples show the noise;
 * where it isn't the same up to there, it is no noise. What stays below `level` is no beginning.
 */
function swellsFrom(
  values: Float64Array,
  heardFrom: number,
  { quiet, window, most, level }: { quiet: number; window: number; most: number; level: number },
): number {
  const least = max(SWELL_POWER * powerIn(values, 0, quiet), level ** 2 / 2);
  const step = max(1, round(window / SWELL_STEPS));
  const swells = (until: number) => until - window >= 0 && powerIn(values, until - window, until) > least;
  let first = heardFrom;
  while (swells(first)) first -= step;
  for (let until = first; until > quiet; until -= step) if (swells(until)) return heardFrom;
  return heardFrom - first > most ? heardFrom : first;
}

function powerIn(values: Float64Array, from: number, until: number): number {
  let power = 0;
  for (let i = from; i < until; i++) power += (values[i] as number) ** 2;
  return power / (until - from);
}

/** The level that noise doesn't exceed. */
function noiseIn(values: Float64Array, until: number): number {
  return max(CLEAR_OF_NOISE * sqrt(powerIn(values, 0, until)), largest(values, 0, until));
}

function largest(values: Float64Array, from: number, until: number): number {
  let peak = 0;
  for (let i = from; i < until; i++) peak = max(peak, abs(values[i] as number));
  return peak;
}

/** The first audible sample that no pause separates from a known place. */
function firstOf(values: Float64Array, known: number, audible: number, pause: number): number {
  let first = known;
  for (let i = known - 1; i >= 0 && first - i <= pause; i--) if (abs(values[i] as number) > audible) first = i;
  return first;
}
