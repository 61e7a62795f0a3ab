import { analyzeRecording, findClicks, readWav, RecordingError, shiftSound, writeWav } from '@metronomo/core';
import type { StemMove, StemReading } from './protocol';

/**
 * Measures one stem: how late its loudest other channel lands after the click recorded with it.
 * @throws WavError if it isn't a WAV file.
 */
export function readStem(bytes: Uint8Array, clickChannel: number | null): StemReading {
  const { sampleRate, channels } = readWav(bytes);
  const peaks = channels.map((channel) => channel.reduce((peak, sample) => Math.max(peak, Math.abs(sample)), 0));
  const bare: StemReading = {
    sampleRate,
    peaks,
    seconds: (channels[0]?.length ?? 0) / sampleRate,
    lateMs: null,
    doubtMs: 0,
    firstClickMs: null,
    problem: null,
  };
  if (clickChannel === null) return bare;
  const click = channels[clickChannel];
  const gear = loudest(channels, peaks, clickChannel);
  if (!click || !gear)
    return { ...bare, problem: 'Only one channel, so there is no click to measure against. Enter the latency.' };
  try {
    const pulsesMs = findClicks(click, sampleRate);
    const { report, warning } = analyzeRecording(gear, sampleRate, { pulsesMs, click });
    const { medianMs, ci95Ms, believable, reason } = report;
    return {
      ...bare,
      lateMs: medianMs,
      doubtMs: (ci95Ms[1] - ci95Ms[0]) / 2,
      firstClickMs: pulsesMs[0] ?? null,
      problem: believable ? (warning ?? null) : (reason ?? 'Not reliable.'),
    };
  } catch (error) {
    if (!(error instanceof RecordingError || error instanceof RangeError)) throw error;
    return { ...bare, problem: error.message };
  }
}

function loudest(channels: readonly Float32Array[], peaks: readonly number[], but: number): Float32Array | null {
  const others = channels.flatMap((samples, i) => (i === but ? [] : [{ samples, peak: peaks[i] ?? 0 }]));
  return others.sort((a, b) => b.peak - a.peak)[0]?.samples ?? null;
}

/**
 * Whole-sample shifts are bit-exact; for fractions, 16 bits become 24, to avoid rounding the interpolated values. A
 * later shift extends the file, so that nothing is cut off.
 */
export function moveStem(bytes: Uint8Array, { samples }: StemMove): Uint8Array {
  const { sampleRate, channels, encoding } = readWav(bytes);
  const longer = Math.max(0, Math.ceil(Math.max(...samples)));
  const moved = channels.map((channel, i) => shiftSound(extended(channel, longer), samples[i] ?? 0));
  const whole = samples.every(Number.isInteger);
  return writeWav(moved, sampleRate, !whole && encoding === 16 ? 24 : encoding);
}

function extended(channel: Float32Array, by: number): Float32Array {
  const longer = new Float32Array(channel.length + by);
  longer.set(channel);
  return longer;
}
