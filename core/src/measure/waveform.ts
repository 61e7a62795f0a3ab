const { floor, max, min } = Math;

/** The lowest and highest sample of each column, -1..1. */
export interface Envelope {
  low: Float32Array;
  high: Float32Array;
}

/** The lowest and highest sample in each of `columns` equal stretches: as much as a screen can show. */
export function waveformEnvelope(
  samples: Float32Array,
  fromSample: number,
  toSample: number,
  columns: number,
): Envelope {
  const low = new Float32Array(columns);
  const high = new Float32Array(columns);
  const width = (toSample - fromSample) / columns;
  for (let column = 0; column < columns; column++) {
    const from = max(0, floor(fromSample + column * width));
    const to = min(samples.length, max(from + 1, floor(fromSample + (column + 1) * width)));
    for (let i = from; i < to; i++) {
      const sample = samples[i] as number;
      if (i === from || sample < (low[column] as number)) low[column] = sample;
      if (i === from || sample > (high[column] as number)) high[column] = sample;
    }
  }
  return { low, high };
}
