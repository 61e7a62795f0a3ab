import { writeFileSync } from 'node:fs';
import { writeWav } from '../core/src/files/wav';

const RATE = 48_000;

/** A channel with a short burst at each of the given times. */
export function bursts(timesMs: readonly number[], seconds: number): Float32Array {
  const samples = new Float32Array(seconds * RATE);
  for (const ms of timesMs) {
    const at = (ms / 1000) * RATE;
    for (let i = Math.ceil(at); i < at + 2400 && i < samples.length; i++)
      samples[i] = 0.5 * Math.cos((i - at) * 0.25) * Math.exp(-(i - at) / 300);
  }
  return samples;
}

export const every = (ms: number, count: number, firstMs = 0): number[] =>
  Array.from({ length: count }, (_, i) => firstMs + i * ms);

export function saveWav(file: string, channels: Float32Array[]): string {
  writeFileSync(file, writeWav(channels, RATE, 16));
  return file;
}
