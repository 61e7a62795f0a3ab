import { songMaps, TempoMap } from '@metronomo/core';
import { extent } from 'd3-array';
import { scaleLinear } from 'd3-scale';
import { useSession } from '../../studio/session';
import { useElementWidth } from '../../parts/use-element-width';
import type { Song } from '../../store/records';
import { count } from '../../words/numbers';

const HEIGHT = 86;
const PAPER = { top: 22, bottom: 16 };

/** The song's tempo over its bars, with the current position. */
export function SongCurve({ song }: { song: Song }) {
  const [ref, width] = useElementWidth();
  const beat = useSession(({ snapshot }) => snapshot.beat);
  const { tempo, beginsAt, lengthBeats } = songMaps(song.sections);
  const map = new TempoMap(tempo);
  const [low = 60, high = 120] = extent(tempo, ({ bpm }) => bpm);
  const x = scaleLinear([0, lengthBeats], [0, width]);
  const y = scaleLinear([low - 3, high + 3], [HEIGHT - PAPER.bottom, PAPER.top]);
  const points = tempo.flatMap(({ beat: at }, i) => {
    const end = Math.min(lengthBeats, tempo[i + 1]?.beat ?? lengthBeats) - 1e-7;
    return end > at ? [[at, map.bpmAt(at)] as const, [end, map.bpmAt(end)] as const] : [];
  });
  const path = points.map(([at, bpm], i) => `${i === 0 ? 'M' : 'L'}${x(at).toFixed(1)} ${y(bpm).toFixed(1)}`).join('');
  return (
    <div
      ref={ref}
      role="img"
      aria-label={`Tempo curve, ${count(song.sections.length, 'section')}, ${low} to ${high} BPM`}
    >
      <svg width={width} height={HEIGHT} className="block overflow-visible" aria-hidden>
        <line x1="0" x2={width} y1={HEIGHT - PAPER.bottom} y2={HEIGHT - PAPER.bottom} stroke="var(--ink)" />
        {song.sections.map(({ name, bpm }, i) => {
          const from = x(beginsAt[i] ?? 0);
          const room = x(beginsAt[i + 1] ?? lengthBeats) - from;
          return (
            <g key={i}>
              <line x1={from} x2={from} y1={PAPER.top - 14} y2={HEIGHT - PAPER.bottom} stroke="var(--rule)" />
              {room > 60 && (
                <text x={from + 5} y={12} fontSize="12" fill="var(--ink)">
                  {shortened(`${bpm} ${name}`, Math.floor(room / 7))}
                </text>
              )}
            </g>
          );
        })}
        <path d={path} fill="none" stroke="var(--clock)" strokeWidth="1.75" />
        {beat <= lengthBeats && (
          <line
            x1={x(Math.max(0, beat))}
            x2={x(Math.max(0, beat))}
            y1={PAPER.top - 14}
            y2={HEIGHT - PAPER.bottom}
            stroke="var(--wrong)"
            strokeWidth="1.5"
          />
        )}
      </svg>
    </div>
  );
}

function shortened(label: string, most: number): string {
  return label.length > most ? `${label.slice(0, most - 1)}…` : label;
}
