import type { Chart, Scale } from 'chart.js';

interface Point {
  x: number;
  y: number;
}

interface Bar extends Point {
  base: number;
  width: number;
}

/** Chart.js draws on a canvas; this renders the same chart as SVG, from the layout Chart.js computed. */
export function chartSvg(chart: Chart, title: string): string {
  const { width, height, chartArea: area } = chart;
  const shapes = chart.data.datasets.map((dataset, i) => {
    const ink = String(dataset.borderColor ?? dataset.backgroundColor ?? '#000');
    const elements = chart.getDatasetMeta(i).data as unknown as Partial<Bar>[];
    const bars = elements.filter(isBar);
    if (bars.length > 0) return bars.map((bar) => barSvg(bar, ink)).join('');
    const points = elements.filter(isPoint);
    const { showLine, pointRadius, borderDash = [], borderWidth } = dataset as unknown as LineLook;
    if (showLine === false)
      return points
        .map(({ x, y }) => `<circle cx="${at(x)}" cy="${at(y)}" r="${pointRadius}" fill="${ink}"/>`)
        .join('');
    const dash = borderDash.length > 0 ? ` stroke-dasharray="${borderDash.join(' ')}"` : '';
    const line = points.map(({ x, y }) => `${at(x)},${at(y)}`).join(' ');
    return `<polyline points="${line}" fill="none" stroke="${ink}" stroke-width="${borderWidth}"${dash}/>`;
  });
  const clip = `<clipPath id="area"><rect x="${at(area.left)}" y="${at(area.top)}" width="${at(area.width)}" height="${at(area.height)}"/></clipPath>`;
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" font-family="B612, sans-serif" font-size="12">`,
    `<title>${escaped(title)}</title>`,
    `<defs>${clip}</defs>`,
    ...Object.values(chart.scales).map((scale) => scaleSvg(scale, area)),
    `<g clip-path="url(#area)">${shapes.join('')}</g>`,
    '</svg>',
  ].join('\n');
}

interface LineLook {
  showLine?: boolean;
  pointRadius: number;
  borderDash?: number[];
  borderWidth: number;
}

function isPoint(one: Partial<Bar>): one is Point {
  return Number.isFinite(one.x) && Number.isFinite(one.y);
}

function isBar(one: Partial<Bar>): one is Bar {
  return isPoint(one) && Number.isFinite((one as Partial<Bar>).base) && Number.isFinite((one as Partial<Bar>).width);
}

function barSvg({ x, y, base, width }: Bar, ink: string): string {
  return `<rect x="${at(x - width / 2)}" y="${at(Math.min(y, base))}" width="${at(width)}" height="${at(Math.abs(base - y))}" fill="${ink}"/>`;
}

function scaleSvg(scale: Scale, area: Chart['chartArea']): string {
  const along = scale.isHorizontal();
  const { title, ticks, grid } = scale.options as unknown as ScaleLook;
  const marks = scale.ticks.map((tick, i) => {
    const place = scale.getPixelForTick(i);
    const line = along
      ? `<line x1="${at(place)}" x2="${at(place)}" y1="${at(area.top)}" y2="${at(area.bottom)}" stroke="${colorOf(grid?.color)}"/>`
      : `<line x1="${at(area.left)}" x2="${at(area.right)}" y1="${at(place)}" y2="${at(place)}" stroke="${colorOf(grid?.color)}"/>`;
    const label = escaped(String(tick.label ?? ''));
    const words = along
      ? `<text x="${at(place)}" y="${at(area.bottom + 18)}" text-anchor="middle" fill="${colorOf(ticks?.color)}">${label}</text>`
      : `<text x="${at(area.left - 8)}" y="${at(place + 4)}" text-anchor="end" fill="${colorOf(ticks?.color)}">${label}</text>`;
    return (grid?.display === false ? '' : line) + words;
  });
  const text = title?.display ? escaped(title.text ?? '') : '';
  const middle = at((scale.top + scale.bottom) / 2);
  const named = along
    ? `<text x="${at((area.left + area.right) / 2)}" y="${at(scale.bottom - 2)}" text-anchor="middle" fill="${colorOf(title?.color)}">${text}</text>`
    : `<text transform="translate(${at(scale.left + 12)} ${middle}) rotate(-90)" text-anchor="middle" fill="${colorOf(title?.color)}">${text}</text>`;
  return marks.join('') + (text ? named : '');
}

interface ScaleLook {
  title?: { display?: boolean; text?: string; color?: unknown };
  ticks?: { color?: unknown };
  grid?: { color?: unknown; display?: boolean };
}

function colorOf(color: unknown): string {
  return typeof color === 'string' ? escaped(color) : '#666';
}

/** Precision of a tenth of a pixel. */
function at(pixels: number): string {
  return String(Math.round(pixels * 10) / 10);
}

function escaped(text: string): string {
  return text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');
}
