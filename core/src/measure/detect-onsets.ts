import { quantile } from 'd3-array';
import { alignSimilar, type Beginning, type PickedHit } from './align-similar';
import { BLEED_SHARE, detectAttacks, peakOf, type Attack } from './detect-attacks';
import { leastNoise, pickOnset } from './pick-onset';
import { pickSudden } from './pick-sudden';
import { removeHum } from './remove-hum';

const { abs, floor, max } = Math;

/** The first instant of an attack, by how much that may be too late or too early, and its peak sample, 0..1. */
export interface Onset {
  timeMs: number;
  earlierMs: number;
  laterMs: number;
  level: number;
}

/**
 * Hits of one instrument have similar rise times. A hit that takes this many times longer to rise halfway started on
 * another sound.
 */
const RISE_SPREAD = 1.25;
const RISE_SLACK_MS = 0.3;
const FALSE_START_MS = 1;
const MIN_ALIKE = 5;
/** The onset suggested by other hits counts if it isn't less likely than this (doubled log likelihood). */
const MAX_LOSS = 16;
/** Two estimates of the same onset differ by no more than this. */
const SAME_MS = 0.1;

/**
 * Every onset of a mono recording, in order. Samples are -1..1; times are ms from the first sample. Mains hum is
 * removed first. Attacks are detected by energy (`noticeAttacks`), each onset is picked to the sample (`pickOnset`),
 * and hits of one instrument refine each other's onset. What is quieter than `mask`, 0..1, isn't taken for a beginning.
 */
export function detectOnsets(samples: Float32Array, sampleRate: number, mask = 0): Onset[] {
  return detectOnsetsOf(removeHum(samples, sampleRate), sampleRate, mask);
}

/** The same without hum removal, for live use. */
export function detectOnsetsOf(samples: Float32Array, sampleRate: number, mask = 0): Onset[] {
  const hits = detectAttacks(samples, sampleRate).map((noticed) => locate(samples, sampleRate, noticed));
  const heard = removeFalseStarts(hits, samples, sampleRate);
  const pick = (mean: Float32Array, noise: number) => {
    const peakAt = peakOf(mean, 0, mean.length);
    return pickOnset(mean, sampleRate, 0, peakAt, leastNoise(noise, abs(mean[peakAt] as number))).best.sample;
  };
  const begins = alignSimilar(samples, sampleRate, heard, pick, mask);
  const inMs = (length: number) => (length / sampleRate) * 1000;
  return heard.map(({ level }, i) => {
    const { sample, earlier, later } = begins[i] as Beginning;
    return { timeMs: inMs(sample), earlierMs: inMs(earlier), laterMs: inMs(later), level };
  });
}

/**
 * A hit that starts on top of another instrument may be placed at that instrument's attack. Nothing in the hit itself
 * tells the two apart, but the other hits do.
 */
function removeFalseStarts(hits: Hit[], samples: Float32Array, sampleRate: number): Hit[] {
  if (hits.length < MIN_ALIKE) return hits;
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
    return { ...hit, sample: best.sample, noise, mayBegin: (sample) => reaches(sample, best.score - MAX_LOSS) };
  });
}

function firstOver(samples: Float32Array, from: number, to: number, level: number): number {
  let at = from;
  while (at < to && abs(samples[at] as number) < level) at++;
  return at;
}

/** Whether a stretch contains nothing but bleed, compared with a hit of some level. */
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

function locate(samples: Float32Array, sampleRate: number, { from, peakAt, noise: background }: Attack): Hit {
  const level = abs(samples[peakAt] as number);
  const noise = leastNoise(background, level);
  const found = pickOnset(samples, sampleRate, from, peakAt, noise);
  const sudden = pickSudden(samples, sampleRate, found.best.sample, peakAt);
  const onBleed =
    sudden &&
    sudden.best.sample - found.best.sample > (SAME_MS / 1000) * sampleRate &&
    isBleed(samples, found.best.sample, sudden.best.sample, level);
  const { best, reaches } = onBleed ? sudden : found;
  const mayBegin = (sample: number) => reaches(sample, best.score - MAX_LOSS);
  return { sample: best.sample, noise, level, peakAt, mayBegin };
}
