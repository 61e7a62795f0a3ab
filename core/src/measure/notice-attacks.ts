import { max as maximum, quantile } from 'd3-array';

const { abs, floor, max, min, round, sqrt } = Math;

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
/** Digital silence still has a floor: half a step of 16 bits. */
const LEAST_POWER = 2 ** -32;
/** A sound this far under the loud ones (17 dB) is another instrument bleeding in, or a wobble in a tail. */
export const BLEED_SHARE = 0.14;
/** The loud ones: this part of all is no louder. */
const LOUD = 0.9;
/** What another instrument has to exceed to drown it (12 dB): half a millisecond of a slow tone may have twice its mean power. */
const DROWN_POWER = 16;
/** An attack still grows after this time; what has its peak behind it by then does not. */
const PAST_PEAK_STEPS = 5;
const ARRIVING_STEPS = 3;
/** And what drowns it has this part of its own peak's power by then: it does not swell. */
const SUDDEN_SHARE = 0.5;

/** An attack that was noticed, in samples; where exactly it begins is sought later. */
export interface Noticed {
  /** It begins here at the earliest ... */
  from: number;
  /** ... and is loudest here. */
  peakAt: number;
  /** Power of what was there before it. */
  noise: number;
}

/**
 * The attacks in a mono recording, in order: where the energy of half a millisecond rises out of both the noise floor and the
 * recent past, to no less than 17 dB under the loud ones.
 */
export function noticeAttacks(samples: Float32Array, sampleRate: number): Noticed[] {
  const step = max(1, round((STEP_MS / 1000) * sampleRate));
  const energy = stepEnergy(samples, step);
  const floors = noiseFloors(energy);
  const past = loudestOfPast(energy);
  const quietAt = (i: number) => floors[floor(i / FLOOR_STEPS)] as number;
  const rises = (i: number) => {
    const before = max(0, (past[i] as number) - QUIET_POWER * quietAt(i));
    return (energy[i] as number) >= NOISE_POWER * quietAt(i) + RISE_POWER * before;
  };
  // Beside what still rings there.
  const levelAt = (i: number) =>
    abs(samples[peakOfAttack(samples, i, step)] as number) - sqrt(2 * backgroundBefore(energy, i));
  const levels: number[] = [];
  for (let i = 0; i < energy.length; i++) {
    if (!rises(i)) continue;
    levels.push(levelAt(i));
    i += HOLD_STEPS;
  }
  const least = BLEED_SHARE * (quantile(levels, LOUD) ?? 0);
  const noticed: Noticed[] = [];
  for (let i = 0; i < energy.length; i++) {
    // Another instrument bleeding in is no hit, and does not hide one that comes soon after.
    if (!rises(i) || levelAt(i) < least) continue;
    const quiet = quietAt(i);
    const { at, from, noise } = drownedBy(energy, i) ?? {
      at: i,
      from: max(0, i - BACK_STEPS),
      noise: backgroundBefore(energy, i),
    };
    noticed.push({ from: from * step, peakAt: peakOfAttack(samples, at, step), noise: max(quiet, noise) });
    i = at + HOLD_STEPS;
  }
  return noticed;
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

/** Where a loud attack is noticed that drowns another, from where it can begin, both in steps, and the power of what it drowns. */
interface Drowning {
  at: number;
  from: number;
  noise: number;
}

/**
 * Whether what was noticed is soon drowned by something far louder: then it was another instrument bleeding in. One that has had
 * its peak and does not grow any more tells it from a soft attack, which grows all the way. Null when it is not.
 */
function drownedBy(energy: Float64Array, first: number): Drowning | null {
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

/** The loudest sample of an attack that was noticed at a step. What still grows after the usual time is followed a little further. */
function peakOfAttack(samples: Float32Array, at: number, step: number): number {
  const within = (steps: number) => peakOf(samples, at * step, min(samples.length, (at + steps) * step));
  const peakAt = within(PEAK_STEPS);
  return peakAt < (at + PEAK_STEPS - PAST_PEAK_STEPS) * step ? peakAt : within(HOLD_STEPS);
}

/** The loudest sample of a stretch. */
export function peakOf(samples: Float32Array, from: number, to: number): number {
  let peakAt = from;
  for (let i = from; i < to; i++) if (abs(samples[i] as number) > abs(samples[peakAt] as number)) peakAt = i;
  return peakAt;
}
