import { Chart, LinearScale, LineElement, PointElement, Tooltip } from 'chart.js';
import { Line } from 'react-chartjs-2';
import { useDrift } from '../../hub/drift-watch';
import type { Follower } from '../../hub/use-followers';
import { useInks } from '../../parts/use-inks';
import { signed } from '../../parts/words';

Chart.register(LineElement, LinearScale, PointElement, Tooltip);

const DASHES = [[], [6, 3], [2, 2], [8, 3, 2, 3]];

/** How far each follower that is heard has wandered since play began: its trace, and in numbers. */
export function DriftPanel({ followers }: { followers: Follower[] }) {
  const { beganMs, watched } = useDrift();
  const inks = useInks();
  const heard = followers.flatMap(({ gear }) => {
    const one = gear.returnChannel === null ? undefined : watched[gear.returnChannel];
    return one && one.trace.length > 1 ? [{ gear, ...one }] : [];
  });
  if (beganMs === null || heard.length === 0)
    return <p className="p-4 text-sm text-soft">Press Play: every follower that is heard leaves a trace here.</p>;
  const font = { family: 'B612', size: 12 };
  return (
    <div className="grid grid-cols-[1fr_auto] gap-4 p-4">
      <div className="h-44">
        <Line
          aria-label="Drift of each follower since play began"
          role="img"
          data={{
            datasets: heard.map(({ gear, trace }, i) => ({
              label: gear.name,
              data: trace.map(({ atMs, lateMs }) => ({
                x: (atMs - beganMs) / 1000,
                y: lateMs - (trace[0]?.lateMs ?? 0),
              })),
              borderColor: i < DASHES.length ? inks.audio : inks.soft,
              borderDash: DASHES[i % DASHES.length] ?? [],
              borderWidth: 1.25,
              pointRadius: 0,
            })),
          }}
          options={{
            animation: false,
            parsing: false,
            maintainAspectRatio: false,
            scales: {
              x: {
                type: 'linear',
                title: { display: true, text: 'seconds since play', color: inks.soft, font },
                ticks: { color: inks.ink, font, maxTicksLimit: 8 },
                grid: { display: false },
              },
              y: {
                title: { display: true, text: 'ms later', color: inks.soft, font },
                ticks: { color: inks.soft, font, maxTicksLimit: 5 },
                grid: { color: inks.rule },
              },
            },
          }}
        />
      </div>
      <table className="self-start text-sm">
        <caption className="sr-only">Drift</caption>
        <thead className="text-xs text-soft">
          <tr>
            <th className="pr-4 text-left font-normal">Follower</th>
            <th className="pr-4 text-right font-normal">wandered, ms</th>
            <th className="text-right font-normal">ms a minute</th>
          </tr>
        </thead>
        <tbody>
          {heard.map(({ gear, drift }) => (
            <tr key={gear.id}>
              <th scope="row" className="pr-4 text-left font-normal">
                {gear.name}
              </th>
              <td className="pr-4 text-right">{drift ? signed(drift.wanderedMs, 2) : '—'}</td>
              <td className="text-right">{drift ? signed(drift.msPerMinute, 2) : '—'}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
