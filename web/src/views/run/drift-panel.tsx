import { Chart, LinearScale, LineElement, PointElement, Tooltip } from 'chart.js';
import { Line } from 'react-chartjs-2';
import { useDrift } from '../../studio/drift-watch';
import type { Follower } from '../../studio/use-followers';
import { useInks } from '../../parts/use-inks';
import { signed } from '../../parts/words';

Chart.register(LineElement, LinearScale, PointElement, Tooltip);

const DASHES = [[], [6, 3], [2, 2], [8, 3, 2, 3]];

/** Line style of the i-th follower, in the chart and beside its name. */
const strokeOf = (i: number) => ({
  ink: i < DASHES.length ? ('audio' as const) : ('soft' as const),
  dash: DASHES[i % DASHES.length] ?? [],
});

/** Drift of each follower with an audio return since playback started. */
export function DriftPanel({ followers }: { followers: Follower[] }) {
  const { beganMs, watched } = useDrift();
  const inks = useInks();
  const heard = followers.flatMap(({ gear, isHeard }) => {
    const one = isHeard && gear.returnChannel !== null ? watched[gear.returnChannel] : undefined;
    return one && one.trace.length > 1 ? [{ gear, ...one }] : [];
  });
  if (beganMs === null || heard.length === 0)
    return (
      <p className="p-4 text-sm text-soft">Press Play to plot the drift of every follower with an audio return.</p>
    );
  const rows = heard
    .map((one, i) => ({ ...one, ...strokeOf(i) }))
    .toSorted((a, b) => Math.abs(b.drift?.msPerMinute ?? 0) - Math.abs(a.drift?.msPerMinute ?? 0));
  const font = { family: 'B612', size: 12 };
  return (
    <div className="grid grid-cols-[auto_1fr] gap-4 p-4">
      <table className="self-start text-sm">
        <caption className="sr-only">Drift</caption>
        <thead className="text-xs text-soft">
          <tr>
            <th className="pr-4 text-left font-normal">Follower</th>
            <th className="pr-4 text-right font-normal">Drift, ms</th>
            <th className="text-right font-normal">Drift rate, ms/min</th>
          </tr>
        </thead>
        <tbody>
          {rows.map(({ gear, drift, ink, dash }) => (
            <tr key={gear.id}>
              <th scope="row" className="pr-4 text-left font-normal">
                <svg width="28" height="8" aria-hidden className="mr-2 inline">
                  <line
                    x1="0"
                    x2="28"
                    y1="4"
                    y2="4"
                    stroke={`var(--${ink})`}
                    strokeDasharray={dash.join(' ')}
                    strokeWidth="1.5"
                  />
                </svg>
                {gear.name}
              </th>
              <td className="pr-4 text-right">{drift ? signed(drift.wanderedMs, 2) : '—'}</td>
              <td className="text-right">{drift ? signed(drift.msPerMinute, 2) : '—'}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="h-44">
        <Line
          aria-label="Drift of each follower since start"
          role="img"
          data={{
            datasets: heard.map(({ gear, trace }, i) => ({
              label: gear.name,
              data: trace.map(({ atMs, lateMs }) => ({
                x: (atMs - beganMs) / 1000,
                y: lateMs - (trace[0]?.lateMs ?? 0),
              })),
              borderColor: inks[strokeOf(i).ink],
              borderDash: strokeOf(i).dash,
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
                title: { display: true, text: 'Time since start, s', color: inks.soft, font },
                ticks: { color: inks.ink, font, maxTicksLimit: 8 },
                grid: { display: false },
              },
              y: {
                title: { display: true, text: 'Drift, ms (+ is later)', color: inks.soft, font },
                ticks: { color: inks.soft, font, maxTicksLimit: 5 },
                grid: { color: inks.rule },
              },
            },
          }}
        />
      </div>
    </div>
  );
}
