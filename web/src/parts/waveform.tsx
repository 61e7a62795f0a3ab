import { waveformEnvelope, type Envelope } from '@metronomo/core';
import { useMemo } from 'react';

interface Props {
  /** One column per pixel. */
  envelope: Envelope;
  top: number;
  height: number;
  ink: string;
}

/** A waveform as part of a larger drawing, scaled to its peak. */
export function Waveform({ envelope, top, height, ink }: Props) {
  const path = useMemo(() => {
    const { low, high } = envelope;
    if (low.length === 0) return '';
    const loudest = Math.max(0.001, ...high, ...low.map((value) => -value));
    const y = (value: number) => (top + height / 2 - (value / loudest) * (height / 2)).toFixed(1);
    const upper = Array.from(high, (value, x) => `${x} ${y(value)}`);
    const lower = Array.from(low, (value, x) => `${x} ${y(value)}`).reverse();
    return `M${upper.join('L')}L${lower.join('L')}Z`;
  }, [envelope, top, height]);
  return <path d={path} fill={ink} stroke={ink} strokeWidth="0.75" />;
}

/** The same for a short array of samples. */
export function SampleWaveform({
  samples,
  width,
  ...rest
}: { samples: Float32Array; width: number } & Omit<Props, 'envelope'>) {
  const envelope = useMemo(() => waveformEnvelope(samples, 0, samples.length, width), [samples, width]);
  return <Waveform envelope={envelope} {...rest} />;
}
