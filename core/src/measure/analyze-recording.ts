import { detectOnsets } from './detect-onsets';
import { matchOnsets, type Landing } from './match-onsets';
import { reportLatency, type LatencyReport } from './measure-latency';

const { abs, ceil, log10, max, round } = Math;

/** A recording tells nothing: why, and what to do. */
export class RecordingError extends Error {
  override readonly name = 'RecordingError';
  constructor(
    message: string,
    readonly problem: 'empty' | 'silentReference' | 'noClick' | 'silent' | 'noOnset',
  ) {
    super(message);
  }
}

/** Where the beats are: on a channel that carries the click, or found there before, or at an even tempo from a first beat. */
export type BeatReference =
  { click: Float32Array } | { pulsesMs: readonly number[] } | { bpm: number; firstBeatMs: number };

export interface RecordingAnalysis {
  pulsesMs: number[];
  onsetsMs: number[];
  landings: Landing[];
  report: LatencyReport;
  /** What else was wrong with the sound, in words; the result stands all the same. */
  warning?: string;
}

/** Quieter than this (-70 dB) there is no signal on the line. */
const SILENCE = 10 ** (-70 / 20);
/** Below -46 dB the noise of most inputs begins to matter. */
const QUIET = 10 ** (-46 / 20);
/** So many samples in a row at the end of the scale are no sound any more. */
const FULL_SCALE = 0.999;
const CLIPPED_SAMPLES = 3;

/**
 * How late the gear on one channel lands after each beat. All times are ms from the first sample.
 * @throws RecordingError when there is nothing to measure.
 */
export function analyzeRecording(gear: Float32Array, sampleRate: number, beats: BeatReference): RecordingAnalysis {
  notEmpty(gear);
  if (isSilent(gear))
    throw new RecordingError('The gear’s channel is silent. Check the cable, the input and its level.', 'silent');
  const pulsesMs = findPulses(beats, sampleRate, (gear.length / sampleRate) * 1000);
  const onsetsMs = detectOnsets(gear, sampleRate).map((onset) => onset.timeMs);
  if (onsetsMs.length === 0)
    throw new RecordingError(
      'There is sound on the gear’s channel, but no attack in it. Let it play quarter notes with a sharp sound.',
      'noOnset',
    );
  const matching = matchOnsets(pulsesMs, onsetsMs);
  const warning = warningOf(gear);
  const report = reportLatency(matching);
  return { pulsesMs, onsetsMs, landings: matching.landings, report, ...(warning !== null && { warning }) };
}

function warningOf(samples: Float32Array): string | null {
  let [peak, flat, longest] = [0, 0, 0];
  for (const sample of samples) {
    const size = abs(sample);
    if (size > peak) peak = size;
    flat = size >= FULL_SCALE ? flat + 1 : 0;
    if (flat > longest) longest = flat;
  }
  if (longest >= CLIPPED_SAMPLES)
    return 'The input was too loud and clipped. Attacks are found all the same; turn it down.';
  if (peak < QUIET)
    return `The input is very quiet: its loudest is ${round(20 * log10(peak))} dB. Turn it up, or the noise will hide the beginnings.`;
  return null;
}

function findPulses(beats: BeatReference, sampleRate: number, lengthMs: number): number[] {
  if ('bpm' in beats) {
    const intervalMs = 60_000 / beats.bpm;
    const count = max(0, ceil((lengthMs - beats.firstBeatMs) / intervalMs));
    return Array.from({ length: count }, (_, i) => beats.firstBeatMs + i * intervalMs);
  }
  return 'pulsesMs' in beats ? [...beats.pulsesMs] : findClicks(beats.click, sampleRate);
}

/**
 * When the hub’s click is heard on its channel, ms from the first sample.
 * @throws RecordingError when it is not.
 */
export function findClicks(click: Float32Array, sampleRate: number): number[] {
  notEmpty(click);
  if (isSilent(click))
    throw new RecordingError(
      'The channel of the hub’s click is silent. Connect the click to that input, or choose another.',
      'silentReference',
    );
  const pulses = detectOnsets(click, sampleRate).map((onset) => onset.timeMs);
  if (pulses.length === 0)
    throw new RecordingError('No click was found on the click’s channel. Check which input carries it.', 'noClick');
  return pulses;
}

function notEmpty(samples: Float32Array): void {
  if (samples.length === 0) throw new RecordingError('The recording is empty: nothing was captured.', 'empty');
}

function isSilent(samples: Float32Array): boolean {
  return !samples.some((sample) => abs(sample) > SILENCE);
}
