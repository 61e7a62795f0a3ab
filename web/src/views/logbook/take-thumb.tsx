import { scaleLinear } from 'd3-scale';
import { memo } from 'react';
import { beatLineDomain } from '../../parts/beat-line';
import type { Take } from '../../store/records';

const WIDTH = 240;
const HEIGHT = 44;
const MAX_ROWS = 11;
const MAX_MARKS = 64;

/** A take's beat line as a thumbnail: a row per follower, a mark per landing, the beat in the middle. */
export const TakeThumb = memo(function TakeThumb({ take }: { take: Take }) {
  const lines = take.lines.filter(({ landings }) => landings.length > 0).slice(0, MAX_ROWS);
  if (lines.length === 0) return null;
  const late = lines.map(({ landings }) => {
    const step = Math.max(1, Math.ceil(landings.length / MAX_MARKS));
    return landings.filter((_, i) => i % step === 0).map(({ lateMs }) => lateMs);
  });
  const scale = scaleLinear(beatLineDomain(late.flat()), [0, WIDTH]);
  const row = HEIGHT / lines.length;
  return (
    <svg
      width={WIDTH}
      height={HEIGHT}
      role="img"
      aria-label={`Beat line of ${lines.map(({ name }) => name).join(', ')}`}
      className="block"
    >
      <rect x={scale(-1)} width={scale(1) - scale(-1)} height={HEIGHT} fill="var(--band)" />
      <line x1={scale(0)} x2={scale(0)} y1="0" y2={HEIGHT} stroke="var(--ink)" strokeWidth="1.5" />
      {late.map((values, i) => (
        <path
          key={i}
          d={values
            .map((ms) => `M${scale(ms).toFixed(1)} ${(i * row + 0.5).toFixed(1)}v${(row - 1).toFixed(1)}`)
            .join('')}
          stroke="var(--audio)"
          strokeWidth="1"
          opacity="0.8"
        />
      ))}
    </svg>
  );
});
