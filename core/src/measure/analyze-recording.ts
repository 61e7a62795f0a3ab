import { detectOnsets } from './detect-onsets';
import { matchOnsets, type Landing } from './match-onsets';
import { reportLatency, type LatencyReport } from './measure-latency';

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

/** Where the beats are: on a channel that carries the click, or at an even tempo from a first beat. */
export type BeatReference = { click: Float32Array } | { bpm: number; firstBeatMs: number };

export interface RecordingAnalysis {
  pulsesMs: number[];
  onsetsMs: number[];
  landings: Landing[];
  report: LatencyReport;
}

/** Quieter than this (-70 dB) there is no signal on the line. */
const SILENCE = 10 ** (-70 / 20);

/**
 * How late the gear on one channel lands after each beat. All times are ms from the first sample.
 * @throws RecordingError when there is nothing to measure.
 */
export function analyzeRecording(gear: Float32Array, sampleRate: number, beats: BeatReference): RecordingAnalysis {
  if (gear.length === 0) throw new RecordingError('The recording is empty: nothing was captured.', 'empty');
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
  return { pulsesMs, onsetsMs, landings: matching.landings, report: reportLatency(matching) };
}

function findPulses(beats: BeatReference, sampleRate: number, lengthMs: number): number[] {
  if ('bpm' in beats) {
    const intervalMs = 60_000 / beats.bpm;
    const count = Math.max(0, Math.ceil((lengthMs - beats.firstBeatMs) / intervalMs));
    return Array.from({ length: count }, (_, i) => beats.firstBeatMs + i * intervalMs);
  }
  if (isSilent(beats.click))
    throw new RecordingError(
      'The channel of the hub’s click is silent. Connect the click to that input, or choose another.',
      'silentReference',
    );
  const pulses = detectOnsets(beats.click, sampleRate).map((onset) => onset.timeMs);
  if (pulses.length === 0)
    throw new RecordingError('No click was found on the click’s channel. Check which input carries it.', 'noClick');
  return pulses;
}

function isSilent(samples: Float32Array): boolean {
  return !samples.some((sample) => Math.abs(sample) > SILENCE);
}
