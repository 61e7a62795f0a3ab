import type { Chart } from 'chart.js';
import { chartSvg } from './chart-svg';

const axis = (along: boolean, title: string) => ({
  isHorizontal: () => along,
  options: { title: { display: true, text: title, color: '#111' }, ticks: { color: '#222' }, grid: { color: '#333' } },
  ticks: [{ label: '0' }, { label: '<5>' }],
  getPixelForTick: (i: number) => (along ? 40 + 100 * i : 90 - 50 * i),
  ...(along ? { top: 90, bottom: 120 } : { left: 0, right: 40, top: 10, bottom: 90 }),
});

/** A minimal laid-out chart: only what the SVG is drawn from. */
function chart(datasets: object[], places: object[][]): Chart {
  return {
    width: 200,
    height: 120,
    chartArea: { left: 40, right: 190, top: 10, bottom: 90, width: 150, height: 80 },
    data: { datasets },
    getDatasetMeta: (i: number) => ({ data: places[i] }),
    scales: { x: axis(true, 'take'), y: axis(false, 'ms') },
  } as unknown as Chart;
}

const line = { borderColor: '#0b7a75', borderWidth: 1.25, pointRadius: 0 };

test('a curve is a line through the chart’s points, dashed if the chart is', () => {
  const places = [
    { x: 40, y: 90 },
    { x: 140.04, y: 40 },
  ];
  const svg = chartSvg(chart([line, { ...line, borderDash: [5, 4] }], [places, places]), 'How late');
  expect(svg).toContain('<polyline points="40,90 140,40" fill="none" stroke="#0b7a75" stroke-width="1.25"/>');
  expect(svg).toContain('stroke-dasharray="5 4"');
});

test('marks are discs, and NaN is left out', () => {
  const svg = chartSvg(
    chart(
      [{ ...line, showLine: false, pointRadius: 2.5 }],
      [
        [
          { x: 50, y: 20 },
          { x: NaN, y: 3 },
        ],
      ],
    ),
    'a',
  );
  expect(svg.match(/<circle/g)).toHaveLength(1);
  expect(svg).toContain('<circle cx="50" cy="20" r="2.5" fill="#0b7a75"/>');
});

test('bars start at their base, in either direction', () => {
  const bars = [
    { x: 60, y: 30, base: 90, width: 20 },
    { x: 90, y: 90, base: 50, width: 20 },
  ];
  const svg = chartSvg(chart([{ backgroundColor: '#123' }], [bars]), 'a');
  expect(svg).toContain('<rect x="50" y="30" width="20" height="60" fill="#123"/>');
  expect(svg).toContain('<rect x="80" y="50" width="20" height="40" fill="#123"/>');
});

test('the axes have rules, numbers and titles; labels are text, not markup', () => {
  const svg = chartSvg(chart([], []), 'Jitter & <drift>');
  expect(svg).toContain('<title>Jitter &amp; &lt;drift&gt;</title>');
  expect(svg.match(/<line /g)).toHaveLength(4);
  expect(svg.match(/&lt;5&gt;/g)).toHaveLength(2);
  expect(svg).toMatch(/text-anchor="middle" fill="#111">take</);
  expect(svg).toMatch(/rotate\(-90\)" text-anchor="middle" fill="#111">ms</);
});
