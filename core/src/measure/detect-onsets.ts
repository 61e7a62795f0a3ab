import { max as maximum, quantile } from 'd3-array';
import { alignAlike, type PickedHit } from './align-alike';
import { pickOnset } from './pick-onset';
import { pickSudden } from './pick-sudden';
import { withoutHum } from './without-hum';

const { abs, floor, max, min, round } = Math;

/** The first instant of a sound's attack, and the highest sample it reaches, 0..1. */
export interface Onset {
  timeMs: number;
  level: number;
}

/** Energy is looked at in steps of this length; all other times are whole numbers of steps. */
const STEP_MS = 0.5;
/** An attack is sought against the loudest of this long before it ... */
const PAST_STEPS = 48;
/** ... but not the last few ms, in which a soft attack is already under way. */
const GUARD_STEPS = 12;
/** Power over the past that makes an attack: 6 dB, above the wobble of a decaying tail. */
const RISE_POWER = 4;
/** Power of one step over the noise floor; white noise passes it once in many days. */
const NOISE_POWER = 4.5;
/** So much of the past's power is mere noise, and asks for no rise over it. */
const QUIET_POWER = 2.5;
/** A single sample this far above a step's mean power (9.5 dB) counts as much as the whole step. */
const CREST_POWER = 9;
/** One hit has one onset within this time: two hits this close are one sound to any ear. */
const HOLD_STEPS = 50;
/** The peak of an attack lies within this time of where it was noticed, and its beginning this long before at most. */
const PEAK_STEPS = 28;
const BACK_STEPS = 20;
/** The noise floor is taken anew for each stretch of this length, from its quietest steps. */
const FLOOR_STEPS = 4000;
const FLOOR_SHARE = 0.1;
/** A tenth of white noise's half-millisecond steps lie below this part of its mean power (chi-square, 24 degrees). */
const FLOOR_SHARE_POWER = 0.65;
/** What lies this far under an attack's own peak (50 dB) is no part of it: converter ringing, rounding. */
const LEAST_SHARE = 0.003;
/** Digital silence still has a floor: half a step of 16 bits. */
const LEAST_POWER = 2 ** -32;
/** A sound this far under the loud ones (17 dB) is another instrument bleeding in, or a wobble in a tail. */
const BLEED_SHARE = 0.14;
/** What another instrument has to exceed to drown it (12 dB): half a millisecond of a slow tone may have twice its mean power. */
const DROWN_POWER = 16;
/** An attack still grows after this time; what has its peak behind it by then does not. */
const PAST_PEAK_STEPS = 5;
const ARRIVING_STEPS = 3;
/** And what drowns it has this part of its own peak's power by then: it does not swell. */
const SUDDEN_SHARE = 0.5;
/** Hits of one instrument begin about alike. One whose first ms is so much fainter than usual (9 dB) began on something else ... */
const FIRST_STEPS = 2;
const FAINT_POWER = 8;
/** ... if soon something comes that begins as they usually do (within 6 dB). */
const USUAL_POWER = 4;
const FEWEST_ALIKE = 5;
/** What other hits say of a hit's beginning counts as long as it is not this much less likely (log likelihood, doubled). */
const MOST_LOSS = 16;
/** Two accounts of where a hit begins differ by no more than this when they mean the same. */
const SAME_MS = 0.1;

/**
 * Every onset of a mono recording, in order. Samples are -1..1; times are ms from the first sample.
 *
 * Mains hum is taken out first. Energy in half-millisecond steps finds where something rises out of both the noise floor and the recent past; then
 * the beginning is picked sample by sample (see `pickOnset`).
 */
export function detectOnsets(samples: Float32Array, sampleRate: number): Onset[] {
  return detectOnsetsOf(withoutHum(samples, sampleRate), sampleRate);
}

/** The same where there is no time to look for hum. */
export function detectOnsetsOf(samples: Float32Array, sampleRate: number): Onset[] {
  const step = max(1, round((STEP_MS / 1000) * sampleRate));
  const energy = stepEnergy(samples, step);
  const floors = noiseFloors(energy);
  const past = loudestOfPast(energy);
  const floorAt = (i: number) => floors[floor(i / FLOOR_STEPS)] as number;
  const rises = (i: number) => {
    const before = max(0, (past[i] as number) - QUIET_POWER * floorAt(i));
    return (energy[i] as number) >= NOISE_POWER * floorAt(i) + RISE_POWER * before;
  };
  const levelAt = (i: number) => abs(samples[peakOf(samples, i * step, peakEnd(samples, i * step, step))] as number);
  const levels: number[] = [];
  for (let i = 0; i < energy.length; i++) {
    if (!rises(i)) continue;
    levels.push(levelAt(i));
    i += HOLD_STEPS;
  }
  const loud = quantile(levels, 0.9) ?? 0;
  const hits: Hit[] = [];
  for (let i = 0; i < energy.length; i++) {
    // Another instrument bleeding in is no hit, and does not hide one that comes soon after.
    if (!rises(i) || levelAt(i) < BLEED_SHARE * loud) continue;
    const quiet = floorAt(i);
    const louder = drownedBy(energy, i);
    if (louder) {
      const { from, noise } = louder;
      i = louder.at;
      hits.push(locate(samples, sampleRate, i * step, step, max(quiet, noise), from * step));
    } else hits.push(locate(samples, sampleRate, i * step, step, max(quiet, backgroundBefore(energy, i))));
    i += HOLD_STEPS;
  }
  const heard = withoutFalseStarts(hits, samples, sampleRate, energy, step);
  const begins = alignAlike(samples, sampleRate, heard, (mean, noise) => {
    const peakAt = peakOf(mean, 0, mean.length);
    return pickOnset(mean, sampleRate, 0, peakAt, leastNoise(noise, abs(mean[peakAt] as number))).best.sample;
  });
  return heard.map(({ level }, i) => ({ timeMs: ((begins[i] as number) / sampleRate) * 1000, level }));
}

/**
 * A hit that begins in the tail of another instrument may be placed where that began: nothing in itself tells the two apart, but
 * the other hits do.
 */
function withoutFalseStarts(
  hits: Hit[],
  samples: Float32Array,
  sampleRate: number,
  energy: Float64Array,
  step: number,
): Hit[] {
  if (hits.length < FEWEST_ALIKE) return hits;
  const length = FIRST_STEPS * step;
  const firstPower = ({ sample }: Hit) => meanPower(samples, sample, sample + length);
  const usual = quantile(hits, 0.5, firstPower) ?? 0;
  return hits.map((hit) => {
    if (firstPower(hit) * FAINT_POWER >= usual) return hit;
    const first = floor(hit.sample / step) + FIRST_STEPS;
    for (let i = first; i < min(energy.length, first + HOLD_STEPS); i++) {
      if ((energy[i] as number) * USUAL_POWER < usual) continue;
      const background = meanPower(samples, hit.sample, i * step - length);
      const later = locate(samples, sampleRate, i * step, step, max(background, hit.noise), hit.sample + step);
      return firstPower(later) * USUAL_POWER >= usual ? later : hit;
    }
    return hit;
  });
}

function meanPower(samples: Float32Array, from: number, to: number): number {
  let sum = 0;
  for (let i = from; i < to; i++) sum += (samples[i] ?? 0) ** 2;
  return sum / max(1, to - from);
}

interface Hit extends PickedHit {
  level: number;
}

/** Mean square of each step, or what its highest sample says if that is more. */
function stepEnergy(samples: Float32Array, step: number): Float64Array {
  const energy = new Float64Array(floor(samples.length / step));
  for (let i = 0, at = 0; i < energy.length; i++) {
    let sum = 0;
    let peak = 0;
    for (const end = at + step; at < end; at++) {
      const sample = samples[at] as number;
      const power = sample * sample;
      sum += power;
      if (power > peak) peak = power;
    }
    energy[i] = max(sum / step, peak / CREST_POWER);
  }
  return energy;
}

function noiseFloors(energy: Float64Array): number[] {
  const floors: number[] = [];
  for (let from = 0; from < energy.length; from += FLOOR_STEPS) {
    const sorted = energy.slice(from, from + FLOOR_STEPS).sort();
    const low = sorted[floor(FLOOR_SHARE * (sorted.length - 1))] ?? 0;
    floors.push(max(LEAST_POWER, low / FLOOR_SHARE_POWER));
  }
  return floors;
}

/** For each step the largest energy of the PAST_STEPS that end GUARD_STEPS before it: a sliding maximum. */
function loudestOfPast(energy: Float64Array): Float64Array {
  const loudest = new Float64Array(energy.length);
  const falling: number[] = [];
  let head = 0;
  for (let i = GUARD_STEPS; i < energy.length; i++) {
    const entering = i - GUARD_STEPS;
    while (falling.length > head && (energy[falling.at(-1) as number] as number) <= (energy[entering] as number))
      falling.pop();
    falling.push(entering);
    if ((falling[head] as number) <= entering - PAST_STEPS) head++;
    loudest[i] = energy[falling[head] as number] as number;
  }
  return loudest;
}

/** The mean power just before an attack: a tail that still rings is noise to the next hit. */
function backgroundBefore(energy: Float64Array, at: number): number {
  const from = max(0, at - GUARD_STEPS - 10);
  const to = max(from, at - GUARD_STEPS);
  let sum = 0;
  for (let i = from; i < to; i++) sum += energy[i] as number;
  return sum / max(1, to - from);
}

/**
 * Whether what was noticed is soon drowned by something far louder: then it was another instrument bleeding in. One that has had
 * its peak and does not grow any more tells it from a soft attack, which grows all the way. Gives where the loud one is noticed,
 * from where it can begin, and the power of what it drowns.
 */
function drownedBy(energy: Float64Array, first: number): { at: number; from: number; noise: number } | null {
  let peak = first;
  for (let i = first + ARRIVING_STEPS; i < min(energy.length, first + HOLD_STEPS); i++) {
    // What lies this far back is no part of the loud one yet.
    if ((energy[i - ARRIVING_STEPS] as number) > (energy[peak] as number)) peak = i - ARRIVING_STEPS;
    const now = energy[i] as number;
    if (i - peak < PAST_PEAK_STEPS || now <= DROWN_POWER * (energy[peak] as number)) continue;
    if (now >= SUDDEN_SHARE * (maximum(energy.subarray(i, i + PEAK_STEPS)) ?? 0))
      return { at: i, from: max(peak + 2, i - BACK_STEPS), noise: energy[peak] as number };
  }
  return null;
}

function locate(
  samples: Float32Array,
  sampleRate: number,
  at: number,
  step: number,
  background: number,
  earliest = 0,
): Hit {
  const peakAt = peakOf(samples, at, peakEnd(samples, at, step));
  const level = abs(samples[peakAt] as number);
  const noise = leastNoise(background, level);
  const from = max(earliest, at - BACK_STEPS * step);
  const found = pickOnset(samples, sampleRate, from, peakAt, noise);
  const sudden = pickSudden(samples, sampleRate, found.best.sample, peakAt);
  const onBleed =
    sudden &&
    sudden.best.sample - found.best.sample > (SAME_MS / 1000) * sampleRate &&
    meanPower(samples, found.best.sample, sudden.best.sample) < (BLEED_SHARE * level) ** 2;
  const { best, reaches } = onBleed ? sudden : found;
  const mayBegin = (sample: number) => reaches(sample, best.score - MOST_LOSS);
  return { sample: best.sample, noise, level, mayBegin };
}

const peakEnd = (samples: Float32Array, at: number, step: number) => min(samples.length, at + PEAK_STEPS * step);

function peakOf(samples: Float32Array, from: number, to: number): number {
  let peakAt = from;
  for (let i = from; i < to; i++) if (abs(samples[i] as number) > abs(samples[peakAt] as number)) peakAt = i;
  return peakAt;
}

function leastNoise(noise: number, level: number): number {
  return max(noise, (LEAST_SHARE * level) ** 2);
}
