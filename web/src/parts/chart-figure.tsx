import {
  BarElement,
  CategoryScale,
  Chart,
  LinearScale,
  LineElement,
  LogarithmicScale,
  PointElement,
  Tooltip,
  type ChartDataset,
} from 'chart.js';
import { ImageDown } from 'lucide-react';
import { useRef } from 'react';
import { Bar, Line } from 'react-chartjs-2';
import { chartSvg } from './chart-svg';
import { saveFile } from './save-file';
import { useInks } from './use-inks';
import { decimal } from '../words/numbers';

Chart.register(BarElement, CategoryScale, LinearScale, LineElement, LogarithmicScale, PointElement, Tooltip);

const FONT = { family: 'B612', size: 12 };

export interface Series {
  points: { x: number; y: number }[];
  /** Measured audio by default. */
  ink?: 'audio' | 'ink' | 'soft';
  dashed?: boolean;
  /** Marks without a line. */
  marks?: boolean;
}

interface FigureProps {
  caption: string;
  /** Accessible description. */
  label: string;
  className?: string;
}

/** Line chart in the colors of the theme; can be saved as a picture. */
export function LineFigure({
  x,
  y,
  series,
  logarithmic = false,
  whole = false,
  ...figure
}: FigureProps & {
  x: string;
  y: string;
  series: Series[];
  logarithmic?: boolean;
  /** Integer tick labels only. */
  whole?: boolean;
}) {
  const inks = useInks();
  const chart = useRef<Chart<'line', { x: number; y: number }[]> | null>(null);
  const axis = (title: string, wholeOnly = false) => ({
    type: logarithmic ? ('logarithmic' as const) : ('linear' as const),
    title: { display: true, text: title, color: inks.soft, font: FONT },
    ticks: { color: inks.ink, font: FONT, maxTicksLimit: 7, ...(wholeOnly && { stepSize: 1 }) },
    grid: { color: inks.rule },
  });
  const datasets = series.map(
    ({ points, ink = 'audio', dashed, marks }): ChartDataset<'line', { x: number; y: number }[]> => ({
      data: points,
      borderColor: inks[ink],
      backgroundColor: inks[ink],
      borderDash: dashed ? [5, 4] : [],
      borderWidth: 1.25,
      pointRadius: marks ? 2.5 : 0,
      showLine: !marks,
    }),
  );
  return (
    <Figure {...figure} onSave={(as) => save(chart.current as Chart | null, figure.label, as)}>
      <Line
        ref={chart}
        role="img"
        aria-label={figure.label}
        data={{ datasets }}
        options={{
          animation: false,
          parsing: false,
          maintainAspectRatio: false,
          scales: { x: axis(x, whole), y: axis(y) },
        }}
      />
    </Figure>
  );
}

/** Histogram of a set of values. */
export function HistogramFigure({
  bins,
  unit,
  ...figure
}: FigureProps & { bins: { from: number; to: number; count: number }[]; unit: string }) {
  const inks = useInks();
  const chart = useRef<Chart<'bar', number[]> | null>(null);
  return (
    <Figure {...figure} onSave={(as) => save(chart.current as Chart | null, figure.label, as)}>
      <Bar
        ref={chart}
        role="img"
        aria-label={figure.label}
        data={{
          labels: bins.map(({ from, to }) => decimal((from + to) / 2, 2)),
          datasets: [
            {
              data: bins.map(({ count }) => count),
              backgroundColor: inks.audio,
              categoryPercentage: 1,
              barPercentage: 0.94,
            },
          ],
        }}
        options={{
          animation: false,
          maintainAspectRatio: false,
          plugins: { tooltip: { callbacks: { label: ({ raw }) => `${String(raw)} ${unit}` } } },
          scales: {
            x: {
              grid: { display: false },
              border: { color: inks.ink },
              ticks: { color: inks.ink, font: FONT, maxTicksLimit: 7, maxRotation: 0 },
            },
            y: {
              grid: { color: inks.rule },
              border: { display: false },
              ticks: { color: inks.soft, font: FONT, precision: 0, maxTicksLimit: 4 },
            },
          },
        }}
      />
    </Figure>
  );
}

function Figure({
  caption,
  label,
  className = 'h-44',
  onSave,
  children,
}: FigureProps & { onSave: (as: 'png' | 'svg') => void; children: React.ReactNode }) {
  return (
    <figure>
      <figcaption className="flex items-center gap-2 text-xs text-soft">
        {caption}
        <span className="ml-auto flex gap-1">
          {(['png', 'svg'] as const).map((as) => (
            <button
              key={as}
              type="button"
              onClick={() => onSave(as)}
              aria-label={`Save as ${as.toUpperCase()}: ${label}`}
              title={`Save as ${as.toUpperCase()}`}
              className="inline-flex items-center gap-0.5 p-1 hover:text-ink"
            >
              {as === 'png' && <ImageDown size={14} aria-hidden />}
              {as.toUpperCase()}
            </button>
          ))}
        </span>
      </figcaption>
      <div className={className}>{children}</div>
    </figure>
  );
}

function save(chart: Chart | null, label: string, as: 'png' | 'svg'): void {
  if (!chart) return;
  const name = `${label.toLowerCase().replaceAll(/[^a-z0-9]+/g, '-')}.${as}`;
  if (as === 'svg') {
    saveFile(name, [chartSvg(chart, label)], 'image/svg+xml');
    return;
  }
  const base64 = chart.toBase64Image().split(',')[1] ?? '';
  const bytes = Uint8Array.from(atob(base64), (letter) => letter.charCodeAt(0));
  saveFile(name, [bytes], 'image/png');
}
