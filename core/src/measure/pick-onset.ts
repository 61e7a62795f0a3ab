const { abs } = Math;

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
/** Slow rises are first tried at this many places along their length, then ever finer around the best. */
const PLACES = 8;
const FINER = 5;

/** How well each place explains an attack as its beginning; the scores are log likelihoods, doubled. */
export interface Beginnings {
  /** A whole sample. */
  best: { sample: number; score: number };
  /** Of a whole sample that need not be the best. */
  scoreAt(sample: number): number;
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
  const end = attackEnd(samples, fromSample, peakSample, CLEAR_OF_NOISE * Math.sqrt(noise));
  const power = samples.subarray(fromSample, end + 1).map((sample) => sample * sample);
  const sums = runningSum(power);
  // Variance where the rise ends: a sine's mean square is half the square of its peak.
  const signal = Math.max((power.at(-1) ?? 0) / 2, noise);

  const rises = RISE_MS.map((riseMs) => {
    const length = Math.max(1, (riseMs / 1000) * sampleRate);
    const scoreAt = riseScore(power, sums, noise, signal, length);
    const handicap = SLOWNESS_HANDICAP * Math.log1p(riseMs / HANDICAP_FROM_MS);
    const foot = riseMs >= SOFT_MS ? FOOT_SHARE * length : 0;
    return { length, foot, scoreAt: (at: number) => scoreAt(at) - handicap };
  });
  let best = { score: -Infinity, at: power.length - 1 };
  for (const { length, foot, scoreAt } of rises) {
    const found = bestPlace(scoreAt, power.length, Math.ceil(length / PLACES));
    if (found.score > best.score) best = { score: found.score, at: found.at - foot };
  }
  return {
    best: { sample: Math.max(0, Math.round(fromSample + best.at)), score: best.score },
    scoreAt(sample) {
      const scores = rises.map(({ foot, scoreAt }) => {
        const at = Math.round(sample - fromSample + foot);
        return at >= 0 && at < power.length ? scoreAt(at) : -Infinity;
      });
      return Math.max(...scores);
    },
  };
}

function attackEnd(samples: Float32Array, fromSample: number, peakSample: number, clear: number): number {
  const enough = Math.min(clear, PEAK_SHARE * abs(samples[peakSample] ?? 0));
  for (let i = fromSample; i < peakSample; i++) if (abs(samples[i] as number) >= enough) return i;
  return peakSample;
}

function runningSum(power: Float32Array): Float64Array {
  const sums = new Float64Array(power.length + 1);
  for (let i = 0; i < power.length; i++) sums[i + 1] = (sums[i] as number) + (power[i] as number);
  return sums;
}

/** Twice the log likelihood (constants left out) of a rise over `rise` samples that begins at sample `at`. */
function riseScore(power: Float32Array, sums: Float64Array, noise: number, signal: number, rise: number) {
  const length = Math.min(power.length, Math.ceil(rise));
  const inverse = new Float64Array(length);
  const logs = new Float64Array(length + 1);
  for (let i = 0; i < length; i++) {
    const share = Math.min(1, (i + 0.5) / rise);
    const variance = noise + signal * share * share;
    inverse[i] = 1 / variance;
    logs[i + 1] = (logs[i] as number) + Math.log(variance);
  }
  const total = sums[power.length] as number;
  const plateau = noise + signal;
  const logNoise = Math.log(noise);
  const logPlateau = Math.log(plateau);
  return (at: number): number => {
    const rising = Math.min(length, power.length - at);
    let score = -at * logNoise - (sums[at] as number) / noise - (logs[rising] as number);
    for (let i = 0; i < rising; i++) score -= (power[at + i] as number) * (inverse[i] as number);
    const after = at + rising;
    return score - (power.length - after) * logPlateau - (total - (sums[after] as number)) / plateau;
  };
}

/** Seeks ever finer around the best place: the score of a rise is smooth over a part of its length. */
function bestPlace(scoreAt: (at: number) => number, places: number, stride: number): { score: number; at: number } {
  let best = { score: -Infinity, at: 0 };
  const tryFrom = (from: number, to: number, by: number) => {
    for (let at = Math.max(0, from); at < Math.min(places, to); at += by) {
      const score = scoreAt(at);
      if (score > best.score) best = { score, at };
    }
  };
  tryFrom(0, places, stride);
  for (let by = stride; by > 1;) {
    const around = by;
    by = Math.ceil(by / FINER);
    tryFrom(best.at - around + by, best.at + around, by);
  }
  return best;
}
