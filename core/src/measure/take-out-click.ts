import { solveSymmetric } from '../maths/solve-symmetric';
import { predictorOf, unpredicted } from './linear-prediction';
import { secondDifferences } from './second-differences';

const { abs, floor, hypot, log10, max, min, round, sqrt } = Math;

/** The click as it bleeds into a channel. */
export interface Bleed {
  /** The channel without it. */
  samples: Float32Array;
  /** Level of the click in the channel, relative to the click's own channel, dB. */
  bleedDb: number;
  /** From the click to the bleed, ms. */
  delayMs: number;
  /** Peak of the bleed, and of what may be left of it, 0..1. */
  peak: number;
  leftover: number;
}

/** One click, from a little before its onset: all that is kept of the click's channel. */
export interface Click {
  /** Its onset, samples from the start of the recording. */
  at: number;
  sound: Float32Array;
}

/** Bleed is studied in the mean of this many clicks at most, from before each to long after it. */
const MOST_CLICKS = 64;
const BEFORE_MS = 24;
const AFTER_MS = 40;
/** What may be bleed, of the click and of another device. */
interface Limits {
  /** It may begin so softly that it is heard later in the channel than in its own. */
  softMs: number;
  mostDelayMs: number;
  /** It has to be alone for this long: any two sounds are alike for a moment. */
  leastAloneMs: number;
  /** A channel that carries it louder than this is a copy of it on purpose, or a device with the same sound. */
  loudestDb: number;
  /**
   * The device itself has begun where a filter leaves this many times what it left of a shorter stretch. Infinite where
   * the sounds of two devices may be alike: then only the longest stretch tells a copy from bleed.
   */
  mostGrowth: number;
}
/** A click bleeds by wire at once, and through the air from headphones or a speaker later. */
const OF_CLICK: Limits = { softMs: 0, mostDelayMs: 12, leastAloneMs: 0, loudestDb: -8, mostGrowth: 5 };
/** A device stands nearby. */
const OF_DEVICE: Limits = { softMs: 3, mostDelayMs: 3, leastAloneMs: 2, loudestDb: -20, mostGrowth: Infinity };
/** Stretches after the bleed begins over which it may be alone, ms. The longest that it explains is used. */
const ALONE_MS = [0.4, 0.6, 0.8, 1, 1.5, 2, 3, 4, 6, 8, 12, 16, 24];
/** Taps of the filter that colors it: as many as a stretch can determine. */
const TAPS = [
  { fromMs: 0, taps: 1 },
  { fromMs: 1, taps: 3 },
  { fromMs: 2, taps: 5 },
  { fromMs: 6, taps: 17 },
  { fromMs: 12, taps: 33 },
];
/** The largest share of the energy that a filter may leave unexplained, and leave of what it should predict. */
const UNEXPLAINED = 0.03;
const UNPREDICTED = 0.1;
/** Less is not told from nothing. */
const LEAST_UNEXPLAINED = 1e-4;
/** Noise is exceeded by this many deviations where the bleed begins. */
const CLEAR_OF_NOISE = 6;
/** Energy that is too little to explain, relative to the noise. */
const LEAST_ENERGY = 30;
/** Keeps the filter of a click with little treble from growing there. */
const RIDGE = 1e-4;
/** Below this (-120 dB), a mean is mere rounding. */
const ROUNDING = 1e-6;
/** A real hit is this many times louder than the residual bleed, and has at least this share of the bleed's level. */
const CLEAR_OF_LEFTOVER = 3;
const LEAST_BESIDE = 0.1;
/** Nothing is left of it below this share. */
const LEAST_LEFT = 0.003;

/** Cuts the clicks out of their channel; elsewhere it carries nothing but noise. `pulsesMs`: their onsets. */
export function cutClicks(click: Float32Array, sampleRate: number, pulsesMs: readonly number[]): Click[] {
  const inSamples = (ms: number) => round((ms / 1000) * sampleRate);
  const [before, after] = [inSamples(BEFORE_MS), inSamples(AFTER_MS)];
  return pulsesMs.map((ms) => {
    const at = inSamples(ms);
    const sound = new Float32Array(before + after);
    sound.set(click.subarray(max(0, at - before), max(0, at + after)), max(0, before - at));
    return { at, sound };
  });
}

/**
 * Subtracts the click from a device's channel. In the mean over all clicks, what comes first is bleed alone: there, a
 * short filter from click to channel is estimated by least squares. The longest stretch that the filter explains ends
 * where the device begins. Null if no bleed can be told from the device's own sound.
 */
export function takeOutClick(samples: Float32Array, clicks: readonly Click[], sampleRate: number): Bleed | null {
  const found = findClick(samples, clicks, sampleRate);
  return found && { ...found.bleed, samples: withoutClick(samples, clicks, found) };
}

/** How the click bleeds into a channel; null if it doesn't. */
export function findClick(samples: Float32Array, clicks: readonly Click[], sampleRate: number): FoundBleed | null {
  return findBleed(samples, clicks, sampleRate, OF_CLICK);
}

/** A channel without a click whose bleed is known. */
export function withoutClick(
  samples: Float32Array,
  clicks: readonly Click[],
  { filter, before }: FoundBleed,
): Float32Array {
  const out = samples.slice();
  for (const { at, sound } of clicks) {
    const first = at - before;
    const until = min(sound.length, out.length - first);
    for (let i = max(0, -first); i < until; i++)
      out[first + i] = (out[first + i] as number) - filtered(sound, filter, i);
  }
  return out;
}

/** Whether a hit of this level is the device's own, not a rest of what was taken out. */
export function isOwn({ level }: { level: number }, { leftover, peak }: Pick<Bleed, 'leftover' | 'peak'>): boolean {
  return level > max(CLEAR_OF_LEFTOVER * leftover, LEAST_BESIDE * peak);
}

/** Another device: its channel, and its hits as cut out of it. */
export interface Beside {
  hits: readonly Click[];
  samples: Float32Array;
}

/** The same for a device that was recorded with it, whose sounds last. */
export function takeOutBeside(samples: Float32Array, other: Beside, sampleRate: number): Bleed | null {
  const found = findBleed(samples, other.hits, sampleRate, OF_DEVICE);
  if (!found) return null;
  const { filter, bleed } = found;
  return { ...bleed, samples: samples.map((value, i) => value - filtered(other.samples, filter, i)) };
}

/** Whether sounds bleed into a channel; some of their hits are enough to tell. */
export function bleedsInto(samples: Float32Array, hits: readonly Click[], sampleRate: number): boolean {
  return findBleed(samples, hits, sampleRate, OF_DEVICE) !== null;
}

/** Bleed, and how it comes about. */
export interface FoundBleed {
  filter: Filter;
  before: number;
  bleed: Omit<Bleed, 'samples'>;
}

function findBleed(
  samples: Float32Array,
  clicks: readonly Click[],
  sampleRate: number,
  limits: Limits,
): FoundBleed | null {
  const inSamples = (ms: number) => round((ms / 1000) * sampleRate);
  const [before, after] = [inSamples(BEFORE_MS), inSamples(AFTER_MS)];
  const every = max(1, floor(clicks.length / MOST_CLICKS));
  const used = clicks.filter(({ at }, i) => i % every === 0 && at >= before && at + after <= samples.length);
  if (used.length === 0) return null;
  const sent = meanOf(used.map(({ sound }) => sound));
  const received = meanOf(used.map(({ at }) => samples.subarray(at - before, at + after)));
  const tail = predictorOf(received, before - inSamples(1));
  // The filter is the same in all of them. Bleed stands out from dull tails in second differences, from bright tails in
  // the samples, and from ringing tails in what they don't predict.
  const best = [
    secondDifferences,
    (values: Float64Array) => values,
    (values: Float64Array) => unpredicted(values, tail),
  ]
    .map((of) => filterBetween(of(sent), of(received), { before, limits, inSamples }))
    .filter((found) => found !== null)
    .sort((a, b) => a.unexplained - b.unexplained)[0];
  if (!best) return null;
  const { filter, lag, unexplained } = best;
  const heard = Float64Array.from(sent, (_, i) => filtered(sent, filter, i));
  const peak = largest(heard);
  const bleedDb = 20 * log10(hypot(...heard) / hypot(...sent));
  if (bleedDb > limits.loudestDb) return null;
  const leftover = 2 * peak * max(LEAST_LEFT, sqrt(unexplained));
  return { filter, before, bleed: { bleedDb, delayMs: (lag / sampleRate) * 1000, peak, leftover } };
}

/** Finite impulse response; the tap at index 0 delays by `first` samples, which may be negative. */
interface Filter {
  first: number;
  taps: Float64Array;
}

interface Explained {
  filter: Filter;
  /** From the click to the bleed, samples. */
  lag: number;
  /** Share of the energy that it leaves. */
  unexplained: number;
}

/** The filter that explains the longest stretch from where the bleed begins; null if there is none. */
function filterBetween(
  sent: Float64Array,
  received: Float64Array,
  { before, limits, inSamples }: { before: number; limits: Limits; inSamples: (ms: number) => number },
): Explained | null {
  const slack = inSamples(limits.softMs);
  const quiet = before - inSamples(1);
  const begins = firstOver(received, quiet);
  const clickBegins = firstOver(sent, quiet);
  if (begins === null || clickBegins === null) return null;
  const heardLater = begins - clickBegins;
  if (heardLater < -inSamples(1) || heardLater > slack + inSamples(limits.mostDelayMs)) return null;
  const noise = power(received, 0, quiet);
  const fit = (until: number, taps: number, lag: number) =>
    filterFor(sent, received, { from: max(0, begins - taps), until, lag, taps });
  /** Of the energy in a stretch, what a filter leaves. */
  const unexplainedBy = (filter: Filter, from: number, until: number): number => {
    let left = 0;
    for (let i = from; i < until; i++) left += ((received[i] as number) - filtered(sent, filter, i)) ** 2;
    // What the noise lets the filter be wrong by counts as well.
    const wrong = max(0, left - noise * (until - from)) + filter.taps.length * noise;
    return wrong / (power(received, from, until) * (until - from));
  };
  let [best, holds]: [Explained | null, boolean] = [null, false];
  let least = Infinity;
  for (const aloneMs of ALONE_MS) {
    const until = begins + inSamples(aloneMs);
    if (until > received.length) break;
    if (power(received, begins, until) * (until - begins) < LEAST_ENERGY * noise) continue;
    const taps = TAPS.findLast(({ fromMs }) => aloneMs >= fromMs)?.taps ?? 1;
    const lag = likeliestLag(sent, received, { from: begins, until, earliest: heardLater - slack, latest: heardLater });
    // Some filter fits any sound, but only bleed continues as a filter fitted to its first half predicts.
    const half = begins + inSamples(aloneMs / 2);
    holds ||= unexplainedBy(fit(half, taps, lag), half, until) < UNPREDICTED;
    const filter = fit(until, taps, lag);
    const unexplained = unexplainedBy(filter, begins, until);
    if (!holds || aloneMs < limits.leastAloneMs || unexplained >= UNEXPLAINED) continue;
    if (unexplained > limits.mostGrowth * max(LEAST_UNEXPLAINED, least)) break;
    least = min(least, unexplained);
    best = { filter, lag, unexplained };
  }
  return best;
}

/** The lag at which one sound explains most of another in a stretch. */
function likeliestLag(
  sent: Float64Array,
  received: Float64Array,
  { from, until, earliest, latest }: { from: number; until: number; earliest: number; latest: number },
): number {
  let [best, most] = [latest, -Infinity];
  for (let lag = latest; lag >= earliest; lag--) {
    let [product, energy] = [0, 0];
    for (let i = from; i < until; i++) {
      const value = sent[i - lag] ?? 0;
      product += value * (received[i] as number);
      energy += value * value;
    }
    const explained = energy > 0 ? product ** 2 / energy : 0;
    if (explained > most) [best, most] = [lag, explained];
  }
  return best;
}

function meanOf(stretches: readonly Float32Array[]): Float64Array {
  const mean = new Float64Array(stretches[0]?.length ?? 0);
  for (const stretch of stretches)
    for (let i = 0; i < mean.length; i++) mean[i] = (mean[i] as number) + (stretch[i] as number) / stretches.length;
  return mean;
}

/** Where values first exceed the noise of their quiet beginning. */
function firstOver(values: Float64Array, quiet: number): number | null {
  let peak = 0;
  for (let i = 0; i < quiet; i++) peak = max(peak, abs(values[i] as number));
  const least = max(CLEAR_OF_NOISE * sqrt(power(values, 0, quiet)), peak, ROUNDING);
  const at = values.findIndex((value) => abs(value) > least);
  return at < 0 ? null : at;
}

/** Least squares: the filter that makes one out of the other in a stretch, around a lag. */
function filterFor(
  sent: Float64Array,
  received: Float64Array,
  { from, until, lag, taps: count }: { from: number; until: number; lag: number; taps: number },
): Filter {
  const first = lag - floor(count / 3);
  const rows = Array.from({ length: count }, () => new Float64Array(count + 1));
  for (let i = from; i < until; i++)
    for (let r = 0; r < count; r++) {
      const row = rows[r] as Float64Array;
      const value = sent[i - first - r] ?? 0;
      if (value === 0) continue;
      for (let c = r; c < count; c++) row[c] = (row[c] as number) + value * (sent[i - first - c] ?? 0);
      row[count] = (row[count] as number) + value * (received[i] as number);
    }
  // Column and row are the same.
  for (let r = 1; r < count; r++)
    for (let c = 0; c < r; c++) (rows[r] as Float64Array)[c] = (rows[c] as Float64Array)[r] as number;
  const largestOnDiagonal = max(...rows.map((row, r) => row[r] as number));
  rows.forEach((row, r) => (row[r] = (row[r] as number) + RIDGE * largestOnDiagonal));
  return { first, taps: solveSymmetric(rows) };
}

function filtered(sent: ArrayLike<number>, { first, taps }: Filter, i: number): number {
  let sum = 0;
  for (let k = 0; k < taps.length; k++) sum += (taps[k] as number) * (sent[i - first - k] ?? 0);
  return sum;
}

function power(values: Float64Array, from: number, until: number): number {
  let sum = 0;
  for (let i = from; i < until; i++) sum += (values[i] as number) ** 2;
  return sum / max(1, until - from);
}

function largest(values: Float64Array): number {
  let peak = 0;
  for (const value of values) peak = max(peak, abs(value));
  return peak;
}
