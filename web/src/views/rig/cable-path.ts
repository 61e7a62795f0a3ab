/** A point of the drawing, px. */
export interface Point {
  x: number;
  y: number;
}

const STUB = 14;
const LANE = 7;

/** Where a cable runs that goes back: at this height between two sheets of one column, or else in this lane under all. */
export interface WayBack {
  gapY: number | null;
  bottom: number;
  lane: number;
}

/**
 * The way of a cable from an out, on the right of its sheet, to an in, on the left of another, as an SVG path. Ahead it is
 * a curve. Back in the same column it runs through the gap between the sheets; back to another column it runs under all
 * sheets, in a lane of its own.
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

/** How far outside the sheets cables that go back may run. */
export function roomForLanes(lanes: number): number {
  return lanes === 0 ? 0 : STUB + lanes * LANE;
}
