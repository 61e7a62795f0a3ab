import { max as maximum, quantile } from 'd3-array';

const { abs, floor, max, min, round, sqrt } = Math;

/** Step of the energy analysis; all other times are whole numbers of steps. */
const STEP_MS = 0.5;
/** An attack is compared with the loudest step of this long before it ... */
const PAST_STEPS = 48;
/** ... except the last few ms, where a soft attack may already be rising. */
const GUARD_STEPS = 12;
/** Power ratio to the past that counts as an attack: 6 dB, above the ripple of a decaying tail. */
const RISE_POWER = 4;
/** Power ratio of one step to the noise floor; white noise exceeds it once in many days. */
const NOISE_POWER = 4.5;
/** Past power up to this is mere noise and needs no rise above it. */
const QUIET_POWER = 2.5;
/** A single sample this far above a step's mean power (9.5 dB) counts like the whole step. */
const CREST_POWER = 9;
/** Minimum distance of two onsets: hits closer than this sound like one. */
const HOLD_STEPS = 50;
/** The peak of an attack is within this time of its detection, and its onset at most this long before. */
const PEAK_STEPS = 28;
const BACK_STEPS = 20;
/** The noise floor is re-estimated for each stretch of this length from its quietest steps. */
const FLOOR_STEPS = 4000;
const FLOOR_SHARE = 0.1;
/** A tenth of white noise's half-millisecond steps are below this share of its mean power (chi-square, 24 degrees). */
const FLOOR_SHARE_POWER = 0.65;
/** Floor for digital silence: half a step of 16 bits. */
const MIN_POWER = 2 ** -32;
/** Sounds this far below the loud ones (17 dB) are bleed, or ripple in a tail. */
export const BLEED_SHARE = 0.14;
/** Quantile that defines the loud ones. */
const LOUD = 0.9;
/**
 * Power ratio at which another instrument drowns a sound (12 dB): half a millisecond of a slow tone may have twice its
 * mean power.
 */
const DROWN_POWER = 16;
/** An attack still grows after this time; a sound past its peak by then does not. */
const PAST_PEAK_STEPS = 5;
const ARRIVING_STEPS = 3;
/** The drowning sound must have this share of its peak power by then, so it isn't swelling. */
const SUDDEN_SHARE = 0.5;

/** A detected attack, in samples; its exact onset is picked later. */
export interface Attack {
  /** Earliest possible onset. */
  from: number;
  /** Position of the peak. */
  peakAt: number;
  /** Noise power before it. */
  noise: number;
}

/**
 * The attacks in a mono recording, in order: where half a millisecond's energy rises above both the noise floor and the
 * recent past, no more than 17 dB below the loud hits.
 */
export function detectAttacks(samples: Float32Array, sampleRate: number): Attack[] {
  const step = max(1, round((STEP_MS / 1000) * sampleRate));
  const energy = stepEnergy(samples, step);
  const floors = noiseFloors(energy);
  const past = loudestOfPast(energy);
  const quietAt = (i: number) => floors[floor(i / FLOOR_STEPS)] as number;
  const rises = (i: number) => {
    const before = max(0, (past[i] as number) - QUIET_POWER * quietAt(i));
    return (energy[i] as number) >= NOISE_POWER * quietAt(i) + RISE_POWER * before;
  };
  // Minus whatever is still ringing there.
  const levelAt = (i: number) =>
    abs(samples[peakOfAttack(samples, i, step)] as number) - sqrt(2 * backgroundBefore(energy, i));
  // Bleed may be what rises first.
  const levels: number[] = [];
  for (let i = 0; i < energy.length; i++) {
    if (!rises(i)) continue;
    levels.push(max(levelAt(i), loudAfter(samples, i, step)));
    i += HOLD_STEPS;
  }
  const least = BLEED_SHARE * (quantile(levels, LOUD) ?? 0);
  const noticed: Attack[] = [];
  for (let i = 0; i < energy.length; i++) {
    // Bleed isn't a hit, and doesn't mask one that follows soon after.
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

/** Mean square of each step, or more if its peak sample implies it. */
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
    floors.push(max(MIN_POWER, low / FLOOR_SHARE_POWER));
  }
  return floors;
}

/** Sliding maximum: for each step the largest energy of the PAST_STEPS that end GUARD_STEPS before it. */
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

/** Mean power just before an attack: a ringing tail is noise to the next hit. */
function backgroundBefore(energy: Float64Array, at: number): number {
  const from = max(0, at - GUARD_STEPS - 10);
  const to = max(from, at - GUARD_STEPS);
  let sum = 0;
  for (let i = from; i < to; i++) sum += energy[i] as number;
  return sum / max(1, to - from);
}

/** A loud attack that drowns another: its detection and earliest onset, in steps, and the power of what it drowns. */
interface Drowning {
  at: number;
  from: number;
  noise: number;
}

/**
 * Whether a detected attack is soon drowned by a much louder one; then it was bleed. Unlike a soft attack, which keeps
 * growing, it is past its peak. Null if it isn't drowned.
 */
function drownedBy(energy: Float64Array, first: number): Drowning | null {
  let peak = first;
  for (let i = first + ARRIVING_STEPS; i < min(energy.length, first + HOLD_STEPS); i++) {
    // Anything this far back isn't part of the loud attack yet.
    if ((energy[i - ARRIVING_STEPS] as number) > (energy[peak] as number)) peak = i - ARRIVING_STEPS;
    const now = energy[i] as number;
    if (i - peak < PAST_PEAK_STEPS || now <= DROWN_POWER * (energy[peak] as number)) continue;
    if (now >= SUDDEN_SHARE * (maximum(energy.subarray(i, i + PEAK_STEPS)) ?? 0))
      return { at: i, from: max(peak + 2, i - BACK_STEPS), noise: energy[peak] as number };
  }
  return null;
}

/** Peak sample of an attack detected at a step. If it still grows after the usual time, follow it a little further. */
function peakOfAttack(samples: Float32Array, at: number, step: number): number {
  const within = (steps: number) => peakOf(samples, at * step, min(samples.length, (at + steps) * step));
  const peakAt = within(PEAK_STEPS);
  return peakAt < (at + PEAK_STEPS - PAST_PEAK_STEPS) * step ? peakAt : within(HOLD_STEPS);
}

/** The level of a much louder sound while only one attack counts; 0 if there is none. */
function loudAfter(samples: Float32Array, at: number, step: number): number {
  const level = (steps: number) =>
    abs(samples[peakOf(samples, at * step, min(samples.length, (at + steps) * step))] as number);
  const whole = level(HOLD_STEPS);
  return whole ** 2 > DROWN_POWER * level(PEAK_STEPS) ** 2 ? whole : 0;
}

/** Peak sample of a stretch. */
export function peakOf(samples: Float32Array, from: number, to: number): number {
  let peakAt = from;
  for (let i = from; i < to; i++) if (abs(samples[i] as number) > abs(samples[peakAt] as number)) peakAt = i;
  return peakAt;
}
