const { abs, ceil, log, log1p, max, min, round, sqrt } = Math;

/** Rise times to try, from "within one sample" to soft. */
const RISE_MS = [0, 0.05, 0.1, 0.2, 0.4, 0.7, 1.1, 1.6, 2.4, 3.6, 5, 7, 10];
/**
 * A slower rise explains more of the noise before the attack, so it must fit clearly better: doubled log likelihood.
 */
const SLOWNESS_HANDICAP = 3.5;
const HANDICAP_FROM_MS = 0.05;
/** A soft attack begins this share of its length before the fitted straight rise, because its foot is rounded. */
const FOOT_SHARE = 0.04;
const SOFT_MS = 1;
/** Once an attack is this far above the noise (32 dB), later samples carry no information about its onset ... */
const CLEAR_OF_NOISE = 40;
/** ... or once it has reached this share of its peak. */
const PEAK_SHARE = 0.9;
/** Anything this far below an attack's peak (50 dB) is converter ringing or rounding. */
const MIN_SHARE = 0.003;
/** Slow rises are first tried at this many positions along their length, then refined around the best. */
const PLACES = 8;
const FINER = 5;
/** While searching, a rise is evaluated in at most this many blocks. */
const MAX_BLOCKS = 40;

/** Likelihood of each sample as the onset of an attack; scores are doubled log likelihoods. */
export interface Beginnings {
  /** The best whole sample, and its rise time. */
  best: { sample: number; score: number; riseMs: number };
  /** Whether a given sample, not necessarily the best, scores this well. */
  reaches(sample: number, score: number): boolean;
}

/**
 * The onset of an attack by maximum likelihood: noise of variance `noise` before it, variance growing as the square of
 * a straight rise after it, with the rise time estimated along with the onset. The change-point picker of seismology
 * (Maeda 1985) with a rise added, so that a soft attack is placed at its beginning and not where it emerges from the
 * noise. Searches from `fromSample` to `peakSample`, the loudest sample.
 */
export function pickOnset(
  samples: Float32Array,
  sampleRate: number,
  fromSample: number,
  peakSample: number,
  noise: number,
): Beginnings {
  const end = attackEnd(samples, fromSample, peakSample, CLEAR_OF_NOISE * sqrt(noise));
  const attack = attackOf(samples, fromSample, end, noise);
  let best = { score: -Infinity, at: attack.places - 1 };
  let likeliest = 0;
  RISE_MS.forEach((riseMs, i) => {
    const rise = riseOf(attack, riseMs, sampleRate);
    const found = bestPlace(rise, attack.places, ceil(rise.length / PLACES));
    const score = found.score - rise.handicap;
    if (score <= best.score) return;
    best = { score, at: found.at - rise.foot };
    likeliest = i;
  });
  return {
    best: { sample: max(0, round(fromSample + best.at)), score: best.score, riseMs: RISE_MS[likeliest] as number },
    reaches(sample, score) {
      // Recomputed on demand: caching it for every hit of an hour would cost far more memory than it saves time.
      const again = attackOf(samples, fromSample, end, noise);
      // The rise time that fits best usually fits the neighboring samples too.
      return [likeliest, ...RISE_MS.keys()].some((i) => {
        const { foot, handicap, exact } = riseOf(again, RISE_MS[i] as number, sampleRate);
        const at = round(sample - fromSample + foot);
        return at >= 0 && at < again.places && exact(at) - handicap > score;
      });
    },
  };
}

/** Noise power before an attack, with a lower bound relative to the attack's own level. */
export function leastNoise(noise: number, level: number): number {
  return max(noise, (MIN_SHARE * level) ** 2);
}

/** The samples to explain: their count, running sum of power, noise and signal power. */
interface Attack {
  places: number;
  power: Float64Array;
  sums: Float64Array;
  noise: number;
  signal: number;
}

/** Scratch buffers reused across calls to avoid per-hit allocation. */
let room = roomFor(0);

function roomFor(places: number) {
  const array = () => new Float64Array(places + 1);
  return { places, power: array(), sums: array(), inverse: array(), logs: array(), means: array() };
}

function attackOf(samples: Float32Array, from: number, end: number, noise: number): Attack {
  const places = end + 1 - from;
  if (places > room.places) room = roomFor(2 * places);
  const { power, sums } = room;
  for (let i = 0; i < places; i++) {
    const sample = samples[from + i] as number;
    power[i] = sample * sample;
    sums[i + 1] = (sums[i] as number) + sample * sample;
  }
  // Variance at the end of the rise: a sine's mean square is half the square of its peak.
  return { places, power, sums, noise, signal: max((power[places - 1] as number) / 2, noise) };
}

function attackEnd(samples: Float32Array, fromSample: number, peakSample: number, clear: number): number {
  const enough = min(clear, PEAK_SHARE * abs(samples[peakSample] ?? 0));
  for (let i = fromSample; i < peakSample; i++) if (abs(samples[i] as number) >= enough) return i;
  return peakSample;
}

/** One rise time, with its likelihood at each position. */
interface Rise {
  length: number;
  /** How far before the fitted rise a soft attack begins. */
  foot: number;
  handicap: number;
  /** Doubled log likelihood without constants. */
  exact: (at: number) => number;
  /** Approximation by block means of the rise: barely varies from sample to sample, at a fraction of the cost. */
  roughly: (at: number) => number;
}

/** Returns a view into the scratch buffers, valid until the next call. */
function riseOf({ places, power, sums, noise, signal }: Attack, riseMs: number, sampleRate: number): Rise {
  const length = max(1, (riseMs / 1000) * sampleRate);
  const count = min(places, ceil(length));
  const { inverse, logs, means } = room;
  for (let i = 0; i < count; i++) {
    const share = min(1, (i + 0.5) / length);
    const variance = noise + signal * share * share;
    inverse[i] = 1 / variance;
    logs[i + 1] = (logs[i] as number) + log(variance);
  }
  const total = sums[places] as number;
  const plateau = noise + signal;
  const logNoise = log(noise);
  const logPlateau = log(plateau);
  const around = (at: number, rising: number): number =>
    -at * logNoise -
    (sums[at] as number) / noise -
    (logs[rising] as number) -
    (places - at - rising) * logPlateau -
    (total - (sums[at + rising] as number)) / plateau;
  const exact = (at: number): number => {
    const rising = min(count, places - at);
    let score = around(at, rising);
    for (let i = 0; i < rising; i++) score -= (power[at + i] as number) * (inverse[i] as number);
    return score;
  };
  const block = ceil(count / MAX_BLOCKS);
  fillMeans(means, inverse, count, block);
  const roughly = (at: number): number => {
    const rising = min(count, places - at);
    let score = around(at, rising);
    for (let b = 0, from = 0; from < rising; b++, from += block) {
      const to = min(rising, from + block);
      score -= ((sums[at + to] as number) - (sums[at + from] as number)) * (means[b] as number);
    }
    return score;
  };
  return {
    length,
    foot: riseMs >= SOFT_MS ? FOOT_SHARE * length : 0,
    handicap: SLOWNESS_HANDICAP * log1p(riseMs / HANDICAP_FROM_MS),
    exact,
    roughly: block === 1 ? exact : roughly,
  };
}

function fillMeans(means: Float64Array, values: Float64Array, count: number, block: number): void {
  for (let b = 0; b * block < count; b++) {
    const to = min(count, (b + 1) * block);
    let sum = 0;
    for (let i = b * block; i < to; i++) sum += values[i] as number;
    means[b] = sum / (to - b * block);
  }
}

/** Coarse-to-fine search around the best position: a rise's score is smooth over a fraction of its length. */
function bestPlace({ exact, roughly }: Rise, places: number, stride: number): { score: number; at: number } {
  let best = { score: -Infinity, at: 0 };
  const tryFrom = (from: number, to: number, by: number) => {
    // The final comparison, also between rise times, uses the exact score.
    const scoreAt = by === 1 ? exact : roughly;
    best = { score: -Infinity, at: best.at };
    for (let at = max(0, from); at < min(places, to); at += by) {
      const score = scoreAt(at);
      if (score > best.score) best = { score, at };
    }
  };
  tryFrom(0, places, stride);
  for (let by = stride; by > 1;) {
    const around = by;
    by = ceil(by / FINER);
    tryFrom(best.at - around + by, best.at + around, by);
  }
  return best;
}
