/**
 * Pre-emphasis, applied twice: it suppresses slow tones. Each difference is placed at the last of its three samples, so
 * that none precedes the sound; the first two are 0.
 */
export function secondDifferences<Samples extends Float32Array | Float64Array>(samples: Samples): Samples {
  const out = samples.slice() as Samples;
  for (let i = samples.length - 1; i >= 0; i--)
    out[i] = i < 2 ? 0 : (samples[i] as number) - 2 * (samples[i - 1] as number) + (samples[i - 2] as number);
  return out;
}
