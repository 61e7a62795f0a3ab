import { format } from 'date-fns';
import { useState } from 'react';
import { trendOf, type TrendPoint } from '../../history/trend';
import { LineFigure } from '../../parts/chart-figure';
import { InlineSelect } from '../../parts/inline-select';
import { signed } from '../../parts/words';
import type { Rig } from '../../store/records';
import { useAllTakes } from '../../store/use-takes';

/** How one piece of gear has been over the days: how late it is by itself, and how late it landed with its offset. */
export function TrendPanel({ rig }: { rig: Rig }) {
  const takes = useAllTakes();
  const measured = rig.gear.filter(({ id }) => takes?.some(({ gearIds }) => gearIds.includes(id)));
  const [chosenId, setChosenId] = useState<string | null>(null);
  const gear = measured.find(({ id }) => id === chosenId) ?? measured[0];
  if (!takes) return null;
  if (!gear)
    return (
      <p className="max-w-prose p-10 text-soft">
        Here every piece of gear is followed from take to take: whether it keeps the lateness it had. Take it on the
        Bench first.
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
  if (points.length === 0) return 'No take of it can be believed.';
  const natural = points.map(({ naturalMs }) => naturalMs);
  const [low, high] = [Math.min(...natural), Math.max(...natural)];
  const takes = points.length === 1 ? 'One take' : `${points.length} takes`;
  const range = points.length === 1 ? `${signed(low)} ms` : `from ${signed(low)} to ${signed(high)} ms`;
  return `${takes}: without an offset it is ${range} after the beat.`;
}

function TrendChart({ name, points }: { name: string; points: readonly TrendPoint[] }) {
  const numbered = points.map((point, i) => ({ ...point, x: i + 1 }));
  return (
    <LineFigure
      caption="ms after the beat, take by take: marks and bars by itself, with its 95 % interval; the line as it landed with its offset"
      label={`How late ${name} is from take to take`}
      className="h-64"
      x="take, the oldest first"
      y="ms"
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

const MOST_SHOWN = 60;

function TrendTable({ points }: { points: readonly TrendPoint[] }) {
  return (
    <table className="text-sm">
      <caption className="sr-only">Takes, the newest first</caption>
      <thead>
        <tr className="ruled-b text-left text-xs text-soft">
          {['When', 'By itself, ms', '95 % interval', 'Offset, ms', 'Landed, ms', 'Since the take before'].map(
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
          .slice(0, MOST_SHOWN)
          .map(({ takeId, at, naturalMs, ciMs, offsetMs, landedMs, before, changed }) => (
            <tr key={takeId} className="ruled-b">
              <td className="py-1 pr-4">{format(at, 'd MMM, HH:mm:ss')}</td>
              <td className="pr-4 font-bold">{signed(naturalMs, 2)}</td>
              <td className="pr-4">
                {signed(ciMs[0], 2)} to {signed(ciMs[1], 2)}
              </td>
              <td className="pr-4">{signed(offsetMs, 2)}</td>
              <td className="pr-4">{signed(landedMs, 2)}</td>
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
