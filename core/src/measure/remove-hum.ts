import { solveSymmetric } from '../maths/solve-symmetric';

const { abs, cos, floor, max, min, PI, sin, sqrt } = Math;

/** The two mains frequencies in use worldwide. */
const MAINS_HZ = [50, 60];
const HARMONICS = 6;
/** Amplitude and phase are re-estimated for each stretch, because mains frequency wanders. */
const STRETCH_SECONDS = 1;
/** Hum is slow enough to estimate from every 32nd sample. */
const EVERY = 32;
/** Samples far louder than the quiet fifth belong to hits or tails and are left out of the estimate. */
const QUIET_SHARE = 0.2;
const LOUD = 5;
/** Hum this much weaker than the surrounding noise doesn't affect any onset. */
const WORTH_REMOVING = 0.5;

/** Stretches probed to decide whether there is hum at all. */
const PROBES = 12;

/** Sine and cosine amplitudes of each harmonic. */
type Fit = Float64Array;

/**
 * The samples without mains hum; the same array if there is none. Each second, least squares over the quiet samples
 * estimates 50 or 60 Hz and its harmonics; estimates are crossfaded between seconds. Hits are excluded, so their
 * attacks are unaffected.
 */
export function removeHum(samples: Float32Array, sampleRate: number): Float32Array {
  const stretch = floor(STRETCH_SECONDS * sampleRate);
  const count = floor(samples.length / stretch);
  if (count === 0) return samples;
  for (const hz of MAINS_HZ) {
    const fitAt = (i: number) => fitOf(samples, i * stretch, stretch, hz, sampleRate);
    const probes = Array.from({ length: min(count, PROBES) }, (_, i) => fitAt(floor((i * count) / min(count, PROBES))));
    const worth = probes.filter((fit) => fit !== null && fit.share > WORTH_REMOVING).length;
    if (worth <= probes.length / 2) continue;
    const fits = Array.from({ length: count }, (_, i) => fitAt(i));
    return subtracted(samples, stretch, hz, sampleRate, fits);
  }
  return samples;
}

/** Hum in one stretch and its power relative to the rest; null if too little of the stretch is quiet. */
function fitOf(
  samples: Float32Array,
  from: number,
  length: number,
  hz: number,
  sampleRate: number,
): { sizes: Fit; share: number } | null {
  const sizes: number[] = [];
  for (let i = from; i < from + length; i += EVERY) sizes.push(abs(samples[i] as number));
  const low = sizes.sort((a, b) => a - b)[floor(QUIET_SHARE * sizes.length)] as number;
  const quiet: number[] = [];
  for (let i = from; i < from + length; i += EVERY) if (abs(samples[i] as number) <= LOUD * low) quiet.push(i);
  const terms = 2 * HARMONICS;
  if (quiet.length < 20 * terms) return null;
  const rows = Array.from({ length: terms }, () => new Float64Array(terms + 1));
  const waves = new Float64Array(terms);
  for (const at of quiet) {
    setWaves(waves, at, hz, sampleRate);
    const value = samples[at] as number;
    rows.forEach((row, r) => {
      const wave = waves[r] as number;
      for (let c = r; c < terms; c++) row[c] = (row[c] as number) + wave * (waves[c] as number);
      row[terms] = (row[terms] as number) + wave * value;
    });
  }
  for (let r = 0; r < terms; r++) for (let c = 0; c < r; c++) at(rows, r)[c] = at(rows, c)[r] as number;
  const fit = solveSymmetric(rows);
  let [hum, rest] = [0, 0];
  for (const place of quiet) {
    setWaves(waves, place, hz, sampleRate);
    let wave = 0;
    for (let k = 0; k < terms; k++) wave += (fit[k] as number) * (waves[k] as number);
    hum += wave * wave;
    rest += ((samples[place] as number) - wave) ** 2;
  }
  return { sizes: fit, share: sqrt(hum / (rest + Number.MIN_VALUE)) };
}

function setWaves(waves: Float64Array, sample: number, hz: number, sampleRate: number): void {
  const turn = (2 * PI * hz * sample) / sampleRate;
  for (let k = 0; k < HARMONICS; k++) {
    waves[2 * k] = sin((k + 1) * turn);
    waves[2 * k + 1] = cos((k + 1) * turn);
  }
}

function at(rows: Float64Array[], r: number): Float64Array {
  return rows[r] as Float64Array;
}

function subtracted(
  samples: Float32Array,
  stretch: number,
  hz: number,
  sampleRate: number,
  fits: ({ sizes: Fit } | null)[],
): Float32Array {
  const out = new Float32Array(samples.length);
  const terms = 2 * HARMONICS;
  const known = fits.map((fit, i) => fit ?? nearest(fits, i));
  // One period of the fundamental as a table: sample rates are whole multiples of it.
  const period = sampleRate / hz;
  const exact = Number.isInteger(period);
  const waves = new Float64Array(terms);
  const table = exact ? Array.from({ length: period }, (_, i) => wavesAt(i, hz, sampleRate)) : [];
  for (let i = 0; i < samples.length; i++) {
    // Crossfade from the middle of one stretch to the middle of the next.
    const place = i / stretch - 0.5;
    const before = max(0, min(known.length - 1, floor(place)));
    const after = min(known.length - 1, before + 1);
    const share = max(0, min(1, place - before));
    const [a, b] = [known[before]?.sizes, known[after]?.sizes];
    if (!a || !b) continue;
    const turn = exact ? (table[i % period] as Float64Array) : waves;
    if (!exact) setWaves(waves, i, hz, sampleRate);
    let wave = 0;
    for (let k = 0; k < terms; k++) {
      const size = (a[k] as number) + share * ((b[k] as number) - (a[k] as number));
      wave += size * (turn[k] as number);
    }
    out[i] = (samples[i] as number) - wave;
  }
  return out;
}

function wavesAt(sample: number, hz: number, sampleRate: number): Float64Array {
  const waves = new Float64Array(2 * HARMONICS);
  setWaves(waves, sample, hz, sampleRate);
  return waves;
}

function nearest(fits: ({ sizes: Fit } | null)[], i: number): { sizes: Fit } | null {
  for (let away = 1; away < fits.length; away++) {
    const found = fits[i - away] ?? fits[i + away];
    if (found) return found;
  }
  return null;
}
