import { BarElement, CategoryScale, Chart, LinearScale, Tooltip } from 'chart.js';
import { bin } from 'd3-array';
import { Bar } from 'react-chartjs-2';
import { useInks } from '../../parts/use-inks';

Chart.register(BarElement, CategoryScale, LinearScale, Tooltip);

/** How the landings spread, in ms. */
export function Histogram({ values }: { values: readonly number[] }) {
  const inks = useInks();
  const bins = bin().thresholds(Math.max(5, Math.round(Math.sqrt(values.length) * 1.5)))([...values]);
  const middle = ({ x0 = 0, x1 = 0 }: { x0: number | undefined; x1: number | undefined }) => (x0 + x1) / 2;
  const font = { family: 'B612', size: 12 };
  return (
    <figure>
      <figcaption className="mb-1 text-xs text-soft">All {values.length} beats, ms after the click</figcaption>
      <div className="h-40">
        <Bar
          aria-label={`Histogram of ${values.length} landings`}
          role="img"
          data={{
            labels: bins.map((one) => middle(one).toFixed(2)),
            datasets: [
              {
                data: bins.map((one) => one.length),
                backgroundColor: inks.audio,
                categoryPercentage: 1,
                barPercentage: 0.94,
              },
            ],
          }}
          options={{
            animation: false,
            maintainAspectRatio: false,
            plugins: { tooltip: { callbacks: { label: ({ raw }) => `${String(raw)} beats` } } },
            scales: {
              x: {
                grid: { display: false },
                border: { color: inks.ink },
                ticks: { color: inks.ink, font, maxTicksLimit: 6, maxRotation: 0 },
              },
              y: {
                grid: { color: inks.rule },
                border: { display: false },
                ticks: { color: inks.soft, font, precision: 0, maxTicksLimit: 4 },
              },
            },
          }}
        />
      </div>
    </figure>
  );
}
