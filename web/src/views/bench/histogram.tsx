import { bin } from 'd3-array';
import { HistogramFigure } from '../../parts/chart-figure';
import { count } from '../../words/numbers';

/** Distribution of the landings, in ms. */
export function Histogram({ values }: { values: readonly number[] }) {
  const bins = bin().thresholds(Math.max(5, Math.round(Math.sqrt(values.length) * 1.5)))([...values]);
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
