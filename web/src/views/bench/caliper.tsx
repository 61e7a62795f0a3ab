import type { Landing } from '@metronomo/core';
import { scaleLinear } from 'd3-scale';
import { useEffect, useEffectEvent, useRef, useState } from 'react';
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
  onCorrect: (lateMs: number | null | undefined) => Promise<void>;
}

/** Time without another key press after which the take is computed again. */
const SETTLED_MS = 400;

/** Attack and body of most hits. */
const WHOLE_HIT_MS = 40;
const STEP_MS = 0.1;
const BIG_STEP_MS = 1;

/** One beat zoomed in, with the distance from the beat to the onset, like a calliper. */
export function Caliper({ takeId, channel, sampleRate, pulseMs, landing, byHand, onCorrect }: Props) {
  const [ref, width] = useElementWidth();
  const { pulse } = landing;
  const { movedMs, move } = useMoved(landing.lateMs, onCorrect);
  const [drags, setDrags] = useState(false);
  const lateMs = movedMs ?? landing.lateMs;
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
          const to = msAt(event);
          setDrags(true);
          move(() => to);
        }}
        onPointerMove={(event) => {
          const to = msAt(event);
          if (drags) move(() => to);
        }}
        onPointerUp={() => setDrags(false)}
        onPointerCancel={() => setDrags(false)}
        onKeyDown={(event) => {
          const by = event.altKey ? 1000 / sampleRate : event.shiftKey ? BIG_STEP_MS : STEP_MS;
          if (event.key === 'ArrowRight') move((ms) => ms + by);
          else if (event.key === 'ArrowLeft') move((ms) => ms - by);
          else if (event.key === 'Delete') void onCorrect(null);
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
            <Button tone="quiet" onClick={() => void onCorrect(undefined)}>
              Reset to measured
            </Button>
          )}
          <Button tone="quiet" onClick={() => void onCorrect(null)}>
            Exclude beat
          </Button>
        </span>
      </div>
    </figure>
  );
}

/**
 * Where the onset was moved to, until the take was computed with it: every key press counts at once, and the take is
 * computed once they pause.
 */
function useMoved(measuredMs: number, onCorrect: Props['onCorrect']) {
  const [movedMs, setMovedMs] = useState<number | null>(null);
  const [settled, setSettled] = useState(0);
  const now = useRef({ moved: null as number | null, waits: false, underWay: 0, measuredMs });
  const move = (change: (fromMs: number) => number) => {
    now.current.moved = change(now.current.moved ?? measuredMs);
    now.current.waits = true;
    setMovedMs(now.current.moved);
  };
  const commit = useEffectEvent(() => {
    const { moved, waits } = now.current;
    if (!waits || moved === null) return;
    Object.assign(now.current, { waits: false, underWay: now.current.underWay + 1, measuredMs });
    const settle = () => {
      now.current.underWay--;
      setSettled((count) => count + 1);
    };
    // What couldn’t be stored is shown as it was.
    onCorrect(moved).then(settle, () => {
      now.current.measuredMs = NaN;
      settle();
    });
  });
  useEffect(() => {
    const timer = setTimeout(() => commit(), SETTLED_MS);
    return () => clearTimeout(timer);
  }, [movedMs]);
  useEffect(() => () => commit(), []);
  useEffect(() => {
    const { waits, underWay, measuredMs: before } = now.current;
    if (waits || underWay > 0 || before === measuredMs) return;
    now.current.moved = null;
    setMovedMs(null);
  }, [measuredMs, settled]);
  return { movedMs, move };
}

/** Arrow head with its tip at x; `way` points towards its tail. */
function arrowHead(x: number, way: number): string {
  return `M${x} 18l${way * 8} -4v8z`;
}
