import { bin } from 'd3-array';
import { HistogramFigure } from '../../parts/chart-figure';

/** How the landings spread, in ms. */
export function Histogram({ values }: { values: readonly number[] }) {
  const bins = bin().thresholds(Math.max(5, Math.round(Math.sqrt(values.length) * 1.5)))([...values]);
  return (
    <HistogramFigure
      caption={`All ${values.length} beats, ms after the click`}
      label={`Histogram of ${values.length} landings`}
      unit="beats"
      className="h-40"
      bins={bins.map(({ x0: from = 0, x1: to = 0, length: count }) => ({ from, to, count }))}
    />
  );
}
