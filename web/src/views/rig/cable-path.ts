/** A point of the diagram, px. */
export interface Point {
  x: number;
  y: number;
}

const STUB = 14;
const LANE = 7;

/**
 * Route of a cable that runs backwards: through the gap at this height within a column, or in this lane below
 * everything.
 */
export interface WayBack {
  gapY: number | null;
  bottom: number;
  lane: number;
}

/**
 * SVG path of a cable from an out, on the right of its sheet, to an in, on the left of another. Forwards it is a curve.
 * Backwards within a column it runs through the gap between the sheets; to another column it runs below all sheets, in
 * a lane of its own.
 */
export function cablePath(from: Point, to: Point, { gapY, bottom, lane }: WayBack): string {
  if (to.x > from.x) {
    const bend = Math.max(30, (to.x - from.x) / 2);
    return `M${from.x} ${from.y}C${from.x + bend} ${from.y} ${to.x - bend} ${to.y} ${to.x} ${to.y}`;
  }
  const y = gapY ?? bottom + STUB + lane * LANE;
  const stub = STUB + (gapY === null ? lane * LANE : 0);
  return `M${from.x} ${from.y}H${from.x + stub}V${y}H${to.x - stub}V${to.y}H${to.x}`;
}

/** How far outside the sheets backward cables may run. */
export function roomForLanes(lanes: number): number {
  return lanes === 0 ? 0 : STUB + lanes * LANE;
}
