const { abs, ceil, log, log1p, max, min, round, sqrt } = Math;

/** How long an attack may take to rise, from "within one sample" to soft. */
const RISE_MS = [0, 0.05, 0.1, 0.2, 0.4, 0.7, 1.1, 1.6, 2.4, 3.6, 5, 7, 10];
/** A slower rise explains more noise before the attack, so it must explain it clearly better: log likelihood, doubled. */
const SLOWNESS_HANDICAP = 3.5;
const HANDICAP_FROM_MS = 0.05;
/** A soft attack begins this part of its length before the straight rise that fits it, for its foot is round. */
const FOOT_SHARE = 0.04;
const SOFT_MS = 1;
/** Once an attack stands this far out of the noise (32 dB), what follows says nothing more about where it began ... */
const CLEAR_OF_NOISE = 40;
/** ... or once it has reached this part of its peak. */
const PEAK_SHARE = 0.9;
/** What lies this far under an attack's own peak (50 dB) is no part of it: converter ringing, rounding. */
const LEAST_SHARE = 0.003;
/** Slow rises are first tried at this many places along their length, then ever finer around the best. */
const PLACES = 8;
const FINER = 5;
/** While a place is only sought, a rise is taken in so many blocks at the most. */
const MOST_BLOCKS = 40;

/** How well each place explains an attack as its beginning; the scores are log likelihoods, doubled. */
export interface Beginnings {
  /** A whole sample, and how long it takes to rise from there. */
  best: { sample: number; score: number; riseMs: number };
  /** Whether a whole sample, which need not be the best, explains it so well. */
  reaches(sample: number, score: number): boolean;
}

/**
 * Where an attack begins, by maximum likelihood: before it there is noise of variance `noise`; after it the variance
 * grows as the square of a straight rise, whose length is found along with the beginning. It is the change-point picker
 * of seismology (Maeda 1985) with a rise in it, so that a soft attack is not placed where it comes out of the noise but
 * where it began.
 *
 * It may lie from `fromSample` to `peakSample`, where the attack is loudest.
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
      // Computed anew: what each hit of an hour would keep for it is far more than it costs.
      const again = attackOf(samples, fromSample, end, noise);
      // That which explains the best place mostly explains those near it too.
      return [likeliest, ...RISE_MS.keys()].some((i) => {
        const { foot, handicap, exact } = riseOf(again, RISE_MS[i] as number, sampleRate);
        const at = round(sample - fromSample + foot);
        return at >= 0 && at < again.places && exact(at) - handicap > score;
      });
    },
  };
}

/** The power of what was there before an attack, at least so much that it is told from what the attack's own level makes. */
export function leastNoise(noise: number, level: number): number {
  return max(noise, (LEAST_SHARE * level) ** 2);
}

/** The samples in question: how many, the running sum of their power, and what they are to be explained by. */
interface Attack {
  places: number;
  power: Float64Array;
  sums: Float64Array;
  noise: number;
  signal: number;
}

/** Room that one call after the other works in: thousands of hits an hour would else fill the memory with it. */
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
  // Variance where the rise ends: a sine's mean square is half the square of its peak.
  return { places, power, sums, noise, signal: max((power[places - 1] as number) / 2, noise) };
}

function attackEnd(samples: Float32Array, fromSample: number, peakSample: number, clear: number): number {
  const enough = min(clear, PEAK_SHARE * abs(samples[peakSample] ?? 0));
  for (let i = fromSample; i < peakSample; i++) if (abs(samples[i] as number) >= enough) return i;
  return peakSample;
}

/** One length of rise: how well it explains an attack that begins at each place. */
interface Rise {
  length: number;
  /** A soft attack begins this much before. */
  foot: number;
  handicap: number;
  /** Twice the log likelihood, constants left out. */
  exact: (at: number) => number;
  /** The same by blocks of the rise, each with its mean: it differs little from place to place, and costs a part of it. */
  roughly: (at: number) => number;
}

/** Works in the room: what it gives holds until it is called again. */
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
  const block = ceil(count / MOST_BLOCKS);
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

/** Seeks ever finer around the best place: the score of a rise is smooth over a part of its length. */
function bestPlace({ exact, roughly }: Rise, places: number, stride: number): { score: number; at: number } {
  let best = { score: -Infinity, at: 0 };
  const tryFrom = (from: number, to: number, by: number) => {
    // In the end the true score counts, also against other rises.
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
