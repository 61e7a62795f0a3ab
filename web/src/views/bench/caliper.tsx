import type { Landing } from '@metronomo/core';
import { scaleLinear } from 'd3-scale';
import { useState } from 'react';
import { Button } from '../../parts/button';
import { useElementWidth } from '../../parts/use-element-width';
import { latenessText, signed } from '../../parts/words';
import { useExcerpt } from './use-sound';
import { SampleWaveform } from '../../parts/waveform';
import { whole } from '../../words/numbers';

const HEIGHT = 170;
const WAVE_TOP = 34;
const WAVE_HEIGHT = 100;

interface Props {
  takeId: string;
  channel: number;
  sampleRate: number;
  /** Time of the beat, in ms from the first sample. */
  pulseMs: number;
  landing: Landing;
  /** Set by hand. */
  byHand: boolean;
  /** Corrected lateness; null excludes the beat, undefined resets it to measured. */
  onCorrect: (lateMs: number | null | undefined) => void;
}

/** Attack and body of most hits. */
const WHOLE_HIT_MS = 40;
const STEP_MS = 0.1;
const BIG_STEP_MS = 1;

/** One beat zoomed in, with the distance from the beat to the onset, like a calliper. */
export function Caliper({ takeId, channel, sampleRate, pulseMs, landing, byHand, onCorrect }: Props) {
  const [ref, width] = useElementWidth();
  const { pulse } = landing;
  /** Cursor position while dragging. */
  const [held, setHeld] = useState<number | null>(null);
  const lateMs = held ?? landing.lateMs;
  const [middle] = useState(landing.lateMs);
  const from = Math.min(-5, middle - 10);
  const to = Math.max(middle, 0) + WHOLE_HIT_MS;
  const scale = scaleLinear([from, to], [0, width]);
  const at = (ms: number) => Math.round(((pulseMs + ms) / 1000) * sampleRate);
  const samples = useExcerpt(takeId, channel, at(from), at(to));
  const msAt = (event: React.PointerEvent<SVGSVGElement>) =>
    scale.invert(event.clientX - event.currentTarget.getBoundingClientRect().left);
  const inSamples = sampleRate > 0 ? `, ${whole((lateMs / 1000) * sampleRate)} samples` : '';
  const text = `${signed(lateMs, 2)} ms${inSamples}`;
  return (
    <figure ref={ref}>
      <figcaption className="text-xs text-soft">
        Beat {pulse + 1}, zoomed in: {latenessText(lateMs)}
        {byHand && ', set by hand'}
      </figcaption>
      <svg
        width={width}
        height={HEIGHT}
        className="block overflow-visible"
        role="slider"
        tabIndex={0}
        aria-label={`Onset of beat ${pulse + 1}`}
        aria-valuemin={from}
        aria-valuemax={to}
        aria-valuenow={lateMs}
        aria-valuetext={text}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          setHeld(msAt(event));
        }}
        onPointerMove={(event) => {
          if (held !== null) setHeld(msAt(event));
        }}
        onPointerUp={() => {
          if (held !== null) onCorrect(held);
          setHeld(null);
        }}
        onPointerCancel={() => setHeld(null)}
        onKeyDown={(event) => {
          const by = event.altKey ? 1000 / sampleRate : event.shiftKey ? BIG_STEP_MS : STEP_MS;
          if (event.key === 'ArrowRight') onCorrect(lateMs + by);
          else if (event.key === 'ArrowLeft') onCorrect(lateMs - by);
          else if (event.key === 'Delete') onCorrect(null);
          else return;
          event.preventDefault();
        }}
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
      <div className="flex items-center gap-2 text-xs text-soft">
        Drag the red line, or nudge it with the arrow keys.
        <span className="ml-auto flex">
          {byHand && (
            <Button tone="quiet" onClick={() => onCorrect(undefined)}>
              Reset to measured
            </Button>
          )}
          <Button tone="quiet" onClick={() => onCorrect(null)}>
            Exclude beat
          </Button>
        </span>
      </div>
    </figure>
  );
}

/** Arrow head with its tip at x; `way` points towards its tail. */
function arrowHead(x: number, way: number): string {
  return `M${x} 18l${way * 8} -4v8z`;
}
