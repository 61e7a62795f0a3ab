import type { Landing } from '@metronomo/core';
import { scaleLinear } from 'd3-scale';
import { useElementWidth } from '../../parts/use-element-width';
import { lateInWords, signed } from '../../parts/words';
import { useExcerpt } from './use-sound';
import { SampleWaveform } from '../../parts/waveform';

const HEIGHT = 170;
const WAVE_TOP = 34;
const WAVE_HEIGHT = 100;

interface Props {
  takeId: string;
  channel: number;
  sampleRate: number;
  /** When the beat was, in ms from the first sample. */
  pulseMs: number;
  landing: Landing;
}

/** One beat up close: the distance from the beat to the first instant of the attack, as a calliper takes it. */
export function Caliper({ takeId, channel, sampleRate, pulseMs, landing }: Props) {
  const [ref, width] = useElementWidth();
  const { lateMs, pulse } = landing;
  const from = Math.min(-4, lateMs - 8);
  const to = Math.max(lateMs + 14, 14);
  const scale = scaleLinear([from, to], [0, width]);
  const at = (ms: number) => Math.round(((pulseMs + ms) / 1000) * sampleRate);
  const samples = useExcerpt(takeId, channel, at(from), at(to));
  const text = `${signed(lateMs, 2)} ms, ${((lateMs / 1000) * sampleRate).toFixed(0)} samples`;
  return (
    <figure ref={ref}>
      <figcaption className="text-xs text-soft">
        Beat {pulse + 1} up close: {lateInWords(lateMs)}
      </figcaption>
      <svg
        width={width}
        height={HEIGHT}
        className="block overflow-visible"
        role="img"
        aria-label={`Beat ${pulse + 1}: ${text}`}
      >
        {samples && (
          <SampleWaveform samples={samples} width={width} top={WAVE_TOP} height={WAVE_HEIGHT} ink="var(--audio)" />
        )}
        <line x1={scale(0)} x2={scale(0)} y1={6} y2={WAVE_TOP + WAVE_HEIGHT} stroke="var(--ink)" strokeWidth="2" />
        <line
          x1={scale(lateMs)}
          x2={scale(lateMs)}
          y1={6}
          y2={WAVE_TOP + WAVE_HEIGHT}
          stroke="var(--wrong)"
          strokeWidth="1.5"
        />
        <line x1={scale(0)} x2={scale(lateMs)} y1={18} y2={18} stroke="var(--ink)" />
        <path d={arrowHead(scale(0), Math.sign(lateMs))} fill="var(--ink)" />
        <path d={arrowHead(scale(lateMs), -Math.sign(lateMs))} fill="var(--ink)" />
        <text x={Math.max(scale(0), scale(lateMs)) + 10} y={22} fontSize="14" fontWeight="700" fill="var(--ink)">
          {text}
        </text>
        {scale.ticks(8).map((value) => (
          <g key={value}>
            <line
              x1={scale(value)}
              x2={scale(value)}
              y1={WAVE_TOP + WAVE_HEIGHT + 4}
              y2={WAVE_TOP + WAVE_HEIGHT + 12}
              stroke="var(--soft)"
            />
            <text x={scale(value)} y={HEIGHT - 8} fontSize="12" textAnchor="middle" fill="var(--ink)">
              {value}
            </text>
          </g>
        ))}
      </svg>
    </figure>
  );
}

/** With its tip at x; `way` is where its tail lies. */
function arrowHead(x: number, way: number): string {
  return `M${x} 18l${way * 8} -4v8z`;
}
