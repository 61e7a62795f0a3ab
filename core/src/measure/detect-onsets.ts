import { quantile } from 'd3-array';
import { alignAlike, type PickedHit } from './align-alike';
import { BLEED_SHARE, noticeAttacks, peakOf, type Noticed } from './notice-attacks';
import { leastNoise, pickOnset } from './pick-onset';
import { pickSudden } from './pick-sudden';
import { withoutHum } from './without-hum';

const { abs, floor, max } = Math;

/** The first instant of a sound's attack, and the highest sample it reaches, 0..1. */
export interface Onset {
  timeMs: number;
  level: number;
}

/** Hits of one instrument rise about alike. One that takes so much longer to come half up began on something else. */
const RISE_SPREAD = 1.25;
const RISE_SLACK_MS = 0.3;
const FALSE_START_MS = 1;
const FEWEST_ALIKE = 5;
/** What other hits say of a hit's beginning counts as long as it is not this much less likely (log likelihood, doubled). */
const MOST_LOSS = 16;
/** Two accounts of where a hit begins differ by no more than this when they mean the same. */
const SAME_MS = 0.1;

/**
 * Every onset of a mono recording, in order. Samples are -1..1; times are ms from the first sample.
 *
 * Mains hum is taken out first. Attacks are noticed by their energy (see `noticeAttacks`); then the beginning of each is picked
 * sample by sample (see `pickOnset`), and the hits of one instrument tell each other where they begin.
 */
export function detectOnsets(samples: Float32Array, sampleRate: number): Onset[] {
  return detectOnsetsOf(withoutHum(samples, sampleRate), sampleRate);
}

/** The same where there is no time to look for hum. */
export function detectOnsetsOf(samples: Float32Array, sampleRate: number): Onset[] {
  const hits = noticeAttacks(samples, sampleRate).map((noticed) => locate(samples, sampleRate, noticed));
  const heard = withoutFalseStarts(hits, samples, sampleRate);
  const begins = alignAlike(samples, sampleRate, heard, (mean, noise) => {
    const peakAt = peakOf(mean, 0, mean.length);
    return pickOnset(mean, sampleRate, 0, peakAt, leastNoise(noise, abs(mean[peakAt] as number))).best.sample;
  });
  return heard.map(({ level }, i) => ({ timeMs: ((begins[i] as number) / sampleRate) * 1000, level }));
}

/**
 * A hit that begins on another instrument may be placed where that began: nothing in itself tells the two apart, but the other hits
 * do.
 */
function withoutFalseStarts(hits: Hit[], samples: Float32Array, sampleRate: number): Hit[] {
  if (hits.length < FEWEST_ALIKE) return hits;
  const slack = (RISE_SLACK_MS / 1000) * sampleRate;
  const leastFalse = (FALSE_START_MS / 1000) * sampleRate;
  const halfUp = ({ sample, peakAt, level }: Hit) => firstOver(samples, sample, peakAt, level / 2);
  const usual = quantile(hits, 0.5, (hit) => halfUp(hit) - hit.sample) ?? 0;
  return hits.map((hit) => {
    const half = halfUp(hit);
    const from = floor(half - RISE_SPREAD * usual - slack);
    if (from <= hit.sample) return hit;
    const noise = leastNoise(meanPower(samples, hit.sample, from), hit.level);
    const { best, reaches } = pickOnset(samples, sampleRate, from, hit.peakAt, noise);
    const risesAsUsual = half - best.sample <= RISE_SPREAD * usual + slack;
    const isFalse = best.sample - hit.sample >= leastFalse && isBleed(samples, hit.sample, best.sample, hit.level);
    if (!risesAsUsual || !isFalse) return hit;
    return { ...hit, sample: best.sample, noise, mayBegin: (sample) => reaches(sample, best.score - MOST_LOSS) };
  });
}

function firstOver(samples: Float32Array, from: number, to: number, level: number): number {
  let at = from;
  while (at < to && abs(samples[at] as number) < level) at++;
  return at;
}

/** Whether a stretch holds nothing but what bleeds in, beside a hit of some level. */
function isBleed(samples: Float32Array, from: number, to: number, level: number): boolean {
  return meanPower(samples, from, to) < (BLEED_SHARE * level) ** 2;
}

function meanPower(samples: Float32Array, from: number, to: number): number {
  let sum = 0;
  for (let i = from; i < to; i++) sum += (samples[i] ?? 0) ** 2;
  return sum / max(1, to - from);
}

interface Hit extends PickedHit {
  level: number;
  peakAt: number;
}

function locate(samples: Float32Array, sampleRate: number, { from, peakAt, noise: background }: Noticed): Hit {
  const level = abs(samples[peakAt] as number);
  const noise = leastNoise(background, level);
  const found = pickOnset(samples, sampleRate, from, peakAt, noise);
  const sudden = pickSudden(samples, sampleRate, found.best.sample, peakAt);
  const onBleed =
    sudden &&
    sudden.best.sample - found.best.sample > (SAME_MS / 1000) * sampleRate &&
    isBleed(samples, found.best.sample, sudden.best.sample, level);
  const { best, reaches } = onBleed ? sudden : found;
  const mayBegin = (sample: number) => reaches(sample, best.score - MOST_LOSS);
  return { sample: best.sample, noise, level, peakAt, mayBegin };
}
