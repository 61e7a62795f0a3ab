import { extent } from 'd3-array';
import { scaleLinear, type ScaleLinear } from 'd3-scale';
import { useElementWidth } from './use-element-width';
import { signed, TOLERANCE_MS } from './words';

/** A column of landings: measured now in the audio ink, or as they were before in the soft one. */
export interface LandingRow {
  lateMs: readonly number[];
  before?: readonly number[];
  medianMs?: number | null;
  beforeMedianMs?: number | null;
}

export type BeatLineDomain = [number, number];

/** A stretch of ms that holds the beat and everything that landed, with room for the flags. */
export function beatLineDomain(values: readonly number[]): BeatLineDomain {
  const [low = 0, high = 0] = extent([0, ...values]);
  const room = Math.max(2, (high - low) * 0.12);
  return [Math.min(low - room, -5), Math.max(high + room, 5)];
}

/** The rule over the rows, in ms, or under them, in samples. */
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
              {value === 0 && up ? 'beat' : signed(value, 0)}
            </text>
          </g>
        ))}
      </svg>
    </div>
  );
}

/** One follower's landings against the beat. `label` says in words what is drawn. */
export function BeatLineRow({
  row,
  domain,
  height = 48,
  label,
}: {
  row: LandingRow;
  domain: BeatLineDomain;
  height?: number;
  label: string;
}) {
  const [ref, width] = useElementWidth();
  const scale = scaleLinear(domain, [0, width]);
  const twoRows = row.before !== undefined;
  const nowY = twoRows ? height * 0.56 : height * 0.46;
  const markHeight = Math.min(14, height * 0.34);
  return (
    <div ref={ref} role="img" aria-label={label} style={{ height }}>
      <svg width={width} height={height} className="block overflow-visible" aria-hidden>
        <rect
          x={scale(-TOLERANCE_MS)}
          width={Math.max(0, scale(TOLERANCE_MS) - scale(-TOLERANCE_MS))}
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
            to={scale(row.medianMs ?? 0)}
            y={height * 0.28 + markHeight * 0.35}
          />
        )}
        {row.beforeMedianMs != null && (
          <Flag x={scale(row.beforeMedianMs)} y={height * 0.2} text={signed(row.beforeMedianMs)} ink="var(--soft)" />
        )}
        <Marks values={row.lateMs} scale={scale} y={nowY} height={markHeight} ink="var(--audio)" />
        {row.medianMs != null && !twoRows && (
          <Flag x={scale(row.medianMs)} y={nowY - 3} text={signed(row.medianMs)} ink="var(--ink)" />
        )}
      </svg>
    </div>
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
      <text x={x + 9} y={y} fontSize="12" fill={ink}>
        {text}
      </text>
    </>
  );
}

function MovedFrom({ from, to, y }: { from: number; to: number; y: number }) {
  if (Math.abs(from - to) < 24) return null;
  const way = Math.sign(to - from);
  const tip = to - way * 8;
  return (
    <>
      <line x1={from + way * 10} x2={tip} y1={y} y2={y} stroke="var(--soft)" strokeDasharray="2 3" />
      <path d={`M${tip} ${y}l${-way * 6} -3v6z`} fill="var(--soft)" />
    </>
  );
}
