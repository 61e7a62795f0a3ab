import { analyzeRecording, findClicks, readWav, RecordingError, shiftSound, writeWav } from '@metronomo/core';
import type { StemMove, StemReading } from './protocol';

/**
 * One part, recorded by itself: how late its gear lands after the click that was recorded with it, by the loudest of its other
 * channels.
 * @throws WavError when it is no WAV file.
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
    return { ...bare, problem: 'It has one channel only: without the click, say how late it is known to be.' };
  try {
    const pulsesMs = findClicks(click, sampleRate);
    const { report, warning } = analyzeRecording(gear, sampleRate, { pulsesMs });
    const { medianMs, ci95Ms, believable, reason } = report;
    return {
      ...bare,
      lateMs: medianMs,
      doubtMs: (ci95Ms[1] - ci95Ms[0]) / 2,
      firstClickMs: pulsesMs[0] ?? null,
      problem: believable ? (warning ?? null) : (reason ?? 'It is not to be believed.'),
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
 * Moved by whole samples it stays bit by bit what it was; by fractions, 16 bits become 24, or the new values would be rounded. What is
 * moved later makes the file longer, so that its end is not lost.
 */
export function moveStem(bytes: Uint8Array, { samples }: StemMove): Uint8Array {
  const { sampleRate, channels, encoding } = readWav(bytes);
  const longer = Math.max(0, Math.ceil(Math.max(...samples)));
  const moved = channels.map((channel, i) => shiftSound(lengthened(channel, longer), samples[i] ?? 0));
  const whole = samples.every(Number.isInteger);
  return writeWav(moved, sampleRate, !whole && encoding === 16 ? 24 : encoding);
}

function lengthened(channel: Float32Array, by: number): Float32Array {
  const longer = new Float32Array(channel.length + by);
  longer.set(channel);
  return longer;
}
