import { bin, extent, max } from 'd3-array';
import { scaleLinear } from 'd3-scale';
import { timeTicks } from 'd3-time';
import { useMemo } from 'react';
import { dayOf, timeOfDay } from '../../parts/dates';
import type { EntryKey } from '../../history/logbook';
import { count } from '../../words/numbers';
import { useElementWidth } from '../../parts/use-element-width';

const HEIGHT = 34;
const BAR = 22;
const LABEL = 60;
const PIXELS_A_BAR = 8;
const HOUR_MS = 3_600_000;

/** Timeline of the entries shown, by density. A press scrolls the list there. */
export function DayStrip({ keys, onGo }: { keys: readonly EntryKey[]; onGo: (at: number) => void }) {
  const [ref, width] = useElementWidth();
  const { scale, bars } = useMemo(() => {
    const [first = 0, last = 0] = extent(keys, ({ at }) => at);
    const room = Math.max(HOUR_MS / 4, (last - first) * 0.02);
    const time = scaleLinear([first - room, last + room], [0, Math.max(1, width)]);
    const [from, to] = time.domain();
    const bins = bin<number, number>()
      .domain([from ?? 0, to ?? 0])
      .thresholds(Math.max(1, Math.floor(width / PIXELS_A_BAR)))(keys.map(({ at }) => at));
    return { scale: time, bars: bins.filter(({ length }) => length > 0) };
  }, [keys, width]);
  // None so near the edge that its label would be cut.
  const [from, to] = [LABEL / 2, width - LABEL / 2].map((x) => new Date(scale.invert(x)));
  const ticks = from && to && from < to ? timeTicks(from, to, Math.max(2, Math.floor(width / 130))) : [];
  const most = max(bars, ({ length }) => length) ?? 1;
  return (
    <div ref={ref} className="ruled-b px-0">
      <svg
        width={width}
        height={HEIGHT + 14}
        className="block cursor-pointer"
        role="img"
        aria-label={`Timeline of ${count(keys.length, 'entry', 'entries')}; click to jump`}
        onClick={({ clientX, currentTarget }) =>
          onGo(scale.invert(clientX - currentTarget.getBoundingClientRect().left))
        }
      >
        <line x1="0" x2={width} y1={HEIGHT - 6.5} y2={HEIGHT - 6.5} stroke="var(--ink)" />
        {bars.map((one) => {
          const x = scale(one.x0 ?? 0);
          const height = Math.max(3, (BAR * Math.sqrt(one.length)) / Math.sqrt(most));
          return (
            <rect
              key={one.x0}
              x={x}
              width={Math.max(2, scale(one.x1 ?? 0) - x - 1)}
              y={HEIGHT - 7 - height}
              height={height}
              fill="var(--audio)"
            />
          );
        })}
        {ticks.map((tick) => (
          <g key={Number(tick)} transform={`translate(${scale(tick)} 0)`}>
            <line y1={HEIGHT - 6} y2={HEIGHT - 1} stroke="var(--ink)" />
            <text y={HEIGHT + 10} textAnchor="middle" fontSize="12" fill="var(--soft)">
              {tick.getHours() + tick.getMinutes() === 0 ? dayOf(tick) : timeOfDay(tick)}
            </text>
          </g>
        ))}
      </svg>
    </div>
  );
}
