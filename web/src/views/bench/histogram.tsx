import { bin, extent } from 'd3-array';
import { HistogramFigure } from '../../parts/chart-figure';
import { count } from '../../words/numbers';

/** Anything narrower is the rounding of samples, not a distribution. */
const LEAST_WIDTH_MS = 0.2;

/** Distribution of the landings, in ms. */
export function Histogram({ values }: { values: readonly number[] }) {
  const [lowest = 0, highest = 0] = extent(values);
  const margin = Math.max(0, LEAST_WIDTH_MS - (highest - lowest)) / 2;
  const bins = bin()
    .domain([lowest - margin, highest + margin])
    .thresholds(Math.max(5, Math.round(Math.sqrt(values.length) * 1.5)))([...values]);
  return (
    <HistogramFigure
      caption={`Distribution of all ${count(values.length, 'beat')}, ms late`}
      label={`Histogram of ${values.length} landings`}
      unit="beats"
      className="h-40"
      bins={bins.map(({ x0: from = 0, x1: to = 0, length: count }) => ({ from, to, count }))}
    />
  );
}
