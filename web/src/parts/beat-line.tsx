import { extent } from 'd3-array';
import { scaleLinear, type ScaleLinear } from 'd3-scale';
import { useId, useState } from 'react';
import { useElementWidth } from './use-element-width';
import { signed, TOLERANCE_MS } from './words';

/** A column of landings, current or previous. */
export interface LandingRow {
  lateMs: readonly number[];
  before?: readonly number[];
  /** By returning MIDI, not sound: drawn below, in the ink of its sync. */
  midi?: { lateMs: readonly number[]; ink: 'clock' | 'timecode' };
  medianMs?: number | null;
  beforeMedianMs?: number | null;
}

export type BeatLineDomain = [number, number];

/** A range in ms that contains the beat and all landings, with room for the flags. */
export function beatLineDomain(values: readonly number[]): BeatLineDomain {
  const [low = 0, high = 0] = extent([0, ...values]);
  const room = Math.max(2, (high - low) * 0.12);
  return [Math.min(low - room, -5), Math.max(high + room, 5)];
}

/** The ruler above the rows, in ms, or below them, in samples. */
export function BeatLineRule({
  domain,
  unit,
  sampleRate = 48_000,
}: {
  domain: BeatLineDomain;
  unit: 'ms' | 'samples';
  sampleRate?: number;
}) {
  const [ref, width] = useElementWidth();
  const perMs = unit === 'ms' ? 1 : sampleRate / 1000;
  const scale = scaleLinear([domain[0] * perMs, domain[1] * perMs], [0, width]);
  const up = unit === 'ms';
  const big = scale.ticks(Math.max(2, Math.floor(width / 90)));
  const small = scale.ticks(Math.max(2, Math.floor(width / 14)));
  // Enough digits to distinguish neighboring marks.
  const digits = Math.max(0, -Math.floor(Math.log10((big[1] ?? 1) - (big[0] ?? 0)) + 1e-9));
  return (
    <div ref={ref} className="h-8">
      <svg width={width} height="32" className="block overflow-visible" aria-hidden>
        {small.map((value) => (
          <line
            key={value}
            x1={scale(value)}
            x2={scale(value)}
            y1={up ? 26 : 0}
            y2={up ? 32 : 6}
            stroke="var(--soft)"
          />
        ))}
        {big.map((value) => (
          <g key={value}>
            <line x1={scale(value)} x2={scale(value)} y1={up ? 20 : 0} y2={up ? 32 : 12} stroke="var(--ink)" />
            <text x={scale(value)} y={up ? 14 : 26} textAnchor="middle" fontSize="12" fill="var(--ink)">
              {value === 0 && up ? 'beat' : signed(value, digits)}
            </text>
          </g>
        ))}
      </svg>
    </div>
  );
}

/** Width of a flag with its number on the right. */
const FLAG_WIDTH = 40;

interface BeatLineRowProps {
  row: LandingRow;
  domain: BeatLineDomain;
  height?: number;
  /** Describes the drawing. */
  label: string;
  toleranceMs?: number;
  /** Target of the alignment, ms late; the beat by default. */
  aimMs?: number;
  /** Makes the flag draggable; called with the distance in ms. */
  onMove?: (byMs: number) => void;
}

/** One follower's landings against the beat. */
export function BeatLineRow({
  row,
  domain,
  height = 48,
  label,
  toleranceMs = TOLERANCE_MS,
  aimMs = 0,
  onMove,
}: BeatLineRowProps) {
  const [ref, width] = useElementWidth();
  const [draggedMs, setDraggedMs] = useState(0);
  const scale = scaleLinear(domain, [0, width]);
  const twoRows = row.before !== undefined;
  const nowY = twoRows ? height * 0.56 : height * 0.46;
  const markHeight = Math.min(14, height * 0.34);
  const medianMs = row.medianMs ?? null;
  const clip = useId();
  return (
    <div ref={ref} role="img" aria-label={label} style={{ height }}>
      <svg width={width} height={height} className="block" aria-hidden>
        <clipPath id={clip}>
          <rect width={width} height={height} />
        </clipPath>
        <g clipPath={`url(#${clip})`}>
          <rect
            x={scale(aimMs - toleranceMs)}
            width={Math.max(0, scale(toleranceMs) - scale(-toleranceMs))}
            height={height}
            fill="var(--band)"
          />
          <line x1={scale(0)} x2={scale(0)} y1="0" y2={height} stroke="var(--ink)" strokeWidth="2" />
          {row.before && (
            <Marks values={row.before} scale={scale} y={height * 0.28} height={markHeight * 0.7} ink="var(--soft)" />
          )}
          {row.before && row.beforeMedianMs != null && (
            <MovedFrom
              from={scale(row.beforeMedianMs)}
              to={scale(medianMs ?? aimMs)}
              clear={medianMs !== null && medianMs < row.beforeMedianMs ? FLAG_WIDTH : 0}
              y={height * 0.28 + markHeight * 0.35}
            />
          )}
          {row.beforeMedianMs != null && (
            <Flag x={scale(row.beforeMedianMs)} y={height * 0.2} text={signed(row.beforeMedianMs)} ink="var(--soft)" />
          )}
          <g transform={`translate(${scale(draggedMs) - scale(0)} 0)`}>
            <Marks values={row.lateMs} scale={scale} y={nowY} height={markHeight} ink="var(--audio)" />
          </g>
          {row.midi && (
            <Marks
              values={row.midi.lateMs}
              scale={scale}
              y={height - markHeight * 0.6}
              height={markHeight * 0.6}
              ink={`var(--${row.midi.ink})`}
            />
          )}
          <OutOfSight
            values={[...row.lateMs, ...(row.before ?? []), ...(row.midi?.lateMs ?? [])]}
            domain={domain}
            width={width}
            height={height}
          />
        </g>
        {medianMs !== null && onMove && (
          <DragFlag
            atMs={medianMs + draggedMs}
            scale={scale}
            y={nowY - 3}
            onDrag={setDraggedMs}
            onDrop={(byMs) => {
              setDraggedMs(0);
              if (byMs !== 0) onMove(byMs);
            }}
          />
        )}
        {medianMs !== null && !onMove && !twoRows && (
          <Flag x={scale(medianMs)} y={nowY - 3} text={signed(medianMs)} ink="var(--ink)" />
        )}
      </svg>
    </div>
  );
}

/** Finest drag step: a hundredth of a ms. */
const DRAG_STEP_MS = 0.01;

/** A draggable flag. Arrow keys are handled by the row itself. */
function DragFlag({
  atMs,
  scale,
  y,
  onDrag,
  onDrop,
}: {
  atMs: number;
  scale: ScaleLinear<number, number>;
  y: number;
  onDrag: (byMs: number) => void;
  onDrop: (byMs: number) => void;
}) {
  const [fromX, setFromX] = useState<number | null>(null);
  const moved = (clientX: number) => {
    const ms = scale.invert(clientX - (fromX ?? clientX)) - scale.invert(0);
    return Math.round(ms / DRAG_STEP_MS) * DRAG_STEP_MS;
  };
  const text = fromX === null ? signed(atMs) : signed(atMs, 2);
  return (
    <g
      className="cursor-ew-resize touch-none"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        setFromX(event.clientX);
      }}
      onPointerMove={({ clientX }) => {
        if (fromX !== null) onDrag(moved(clientX));
      }}
      onPointerUp={({ clientX }) => {
        if (fromX === null) return;
        setFromX(null);
        onDrop(moved(clientX));
      }}
      onPointerCancel={() => {
        setFromX(null);
        onDrop(0);
      }}
    >
      <rect x={scale(atMs) - 9} y={y - 14} width="56" height="18" fill="transparent" />
      <Flag x={scale(atMs)} y={y} text={text} ink="var(--ink)" />
    </g>
  );
}

/** Landings outside the zoomed range: on which side, and how many. */
function OutOfSight({
  values,
  domain,
  width,
  height,
}: {
  values: readonly number[];
  domain: BeatLineDomain;
  width: number;
  height: number;
}) {
  const early = values.filter((value) => value < domain[0]).length;
  const late = values.filter((value) => value > domain[1]).length;
  const y = height - 5;
  return (
    <g fontSize="12" fill="var(--soft)">
      {early > 0 && (
        <text x="2" y={y}>
          ◂ {early}
        </text>
      )}
      {late > 0 && (
        <text x={width - 2} y={y} textAnchor="end">
          {late} ▸
        </text>
      )}
    </g>
  );
}

function Marks({
  values,
  scale,
  y,
  height,
  ink,
}: {
  values: readonly number[];
  scale: ScaleLinear<number, number>;
  y: number;
  height: number;
  ink: string;
}) {
  return values.map((value, i) => (
    <line
      key={i}
      x1={scale(value)}
      x2={scale(value)}
      y1={y}
      y2={y + height}
      stroke={ink}
      strokeWidth="1.5"
      opacity="0.75"
    />
  ));
}

function Flag({ x, y, text, ink }: { x: number; y: number; text: string; ink: string }) {
  return (
    <>
      <path d={`M${x - 5} ${y - 6}h10l-5 5z`} fill={ink} />
      <text x={x + 9} y={y} fontSize="12" fill={ink} stroke="var(--sheet)" strokeWidth="3" paintOrder="stroke">
        {text}
      </text>
    </>
  );
}

/** `clear`: room to leave at its end for a flag. */
function MovedFrom({ from, to, y, clear }: { from: number; to: number; y: number; clear: number }) {
  if (Math.abs(from - to) < 24 + clear) return null;
  const way = Math.sign(to - from);
  const tip = to - way * (8 + clear);
  return (
    <>
      <line x1={from + way * 10} x2={tip} y1={y} y2={y} stroke="var(--soft)" strokeDasharray="2 3" />
      <path d={`M${tip} ${y}l${-way * 6} -3v6z`} fill="var(--soft)" />
    </>
  );
}
