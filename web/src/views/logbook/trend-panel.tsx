import { useState } from 'react';
import { trendOf, type TrendPoint } from '../../history/trend';
import { LineFigure } from '../../parts/chart-figure';
import { InlineSelect } from '../../parts/inline-select';
import { latenessText, signed } from '../../parts/words';
import { count } from '../../words/numbers';
import type { Rig } from '../../store/records';
import { useAllTakes } from '../../studio/use-takes';
import { exactDayAndTime } from '../../parts/dates';

/** One device's latency from take to take: without its offset, and as it landed with it. */
export function TrendPanel({ rig }: { rig: Rig }) {
  const takes = useAllTakes();
  const measured = rig.gear.filter(({ id }) => takes?.some(({ gearIds }) => gearIds.includes(id)));
  const [chosenId, setChosenId] = useState<string | null>(null);
  const gear = measured.find(({ id }) => id === chosenId) ?? measured[0];
  if (!takes) return null;
  if (!gear)
    return (
      <p className="max-w-prose p-10 text-soft">
        No takes yet. Measure a device on the Bench to track its latency from take to take.
      </p>
    );
  const points = trendOf(takes, gear.id);
  return (
    <div className="flex flex-col gap-4 px-5 py-4">
      <div className="flex flex-wrap items-center gap-4">
        <InlineSelect
          name="Gear"
          className="text-base"
          value={gear.id}
          options={measured.map(({ id, name }) => [id, name] as const)}
          onChoose={setChosenId}
        />
        <p role="status">{summary(points)}</p>
      </div>
      {points.length > 0 && <TrendChart name={gear.name} points={points} />}
      <TrendTable points={points} />
    </div>
  );
}

function summary(points: readonly TrendPoint[]): string {
  if (points.length === 0) return 'No reliable takes of this device.';
  const natural = points.map(({ naturalMs }) => naturalMs);
  const [low, high] = [Math.min(...natural), Math.max(...natural)];
  const range = points.length === 1 ? latenessText(low) : `${latenessText(low)} to ${latenessText(high)}`;
  return `${count(points.length, 'take')}. Without its offset: ${range}.`;
}

function TrendChart({ name, points }: { name: string; points: readonly TrendPoint[] }) {
  const numbered = points.map((point, i) => ({ ...point, x: i + 1 }));
  return (
    <LineFigure
      caption="Lateness by take, ms. Marks and bars: without the offset, with 95% interval. Dashed line: as played, with the offset."
      label={`Latency of ${name} by take`}
      className="h-64"
      x="take (oldest first)"
      y="ms late"
      whole
      series={[
        { points: numbered.map(({ x, naturalMs }) => ({ x, y: naturalMs })), marks: true },
        ...numbered.map(({ x, ciMs: [low, high] }) => ({
          points: [
            { x, y: low },
            { x, y: high },
          ],
        })),
        { points: numbered.map(({ x, landedMs }) => ({ x, y: landedMs })), ink: 'soft' as const, dashed: true },
      ]}
    />
  );
}

const MAX_SHOWN = 60;

function TrendTable({ points }: { points: readonly TrendPoint[] }) {
  return (
    <table className="text-sm">
      <caption className="sr-only">Takes, newest first</caption>
      <thead>
        <tr className="ruled-b text-left text-xs text-soft">
          {['Time', 'Landing, ms', 'Offset, ms', 'Without offset, ms', '95% interval', 'Change from previous'].map(
            (title) => (
              <th key={title} className="py-1 pr-4 font-normal">
                {title}
              </th>
            ),
          )}
        </tr>
      </thead>
      <tbody>
        {points
          .map((point, i) => ({ ...point, before: points[i - 1] }))
          .reverse()
          .slice(0, MAX_SHOWN)
          .map(({ takeId, at, naturalMs, ciMs, offsetMs, landedMs, before, changed }) => (
            <tr key={takeId} className="ruled-b">
              <td className="py-1 pr-4">{exactDayAndTime(at)}</td>
              <td className="pr-4 font-bold">{signed(landedMs, 2)}</td>
              <td className="pr-4">{signed(offsetMs, 2)}</td>
              <td className="pr-4">{signed(naturalMs, 2)}</td>
              <td className="pr-4">
                {signed(ciMs[0], 2)} to {signed(ciMs[1], 2)}
              </td>
              <td className="pr-4">
                {before ? `${signed(naturalMs - before.naturalMs, 2)} ms` : ''}
                {changed.length > 0 && <span className="text-soft"> · {changed.join(', ')}</span>}
              </td>
            </tr>
          ))}
      </tbody>
    </table>
  );
}
