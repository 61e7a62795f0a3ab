/** A straight line through points, with their residuals. */
export interface FittedLine {
  /** Change of y per unit of x. */
  slope: number;
  at(x: number): number;
  /** The x at which the line reaches y. */
  where(y: number): number;
  /** Number of points that count. */
  count: number;
  /** Mean of their x. */
  middle: number;
  /** Sum of squared residuals. */
  squares: number;
  /** Variance of the line at x, as a multiple of the variance of one point. */
  leverage(x: number): number;
  /** Variance of the slope, in the same unit. */
  slopeVariance: number;
}

/** Prefix sums of all points before an index, relative to the reference line. */
interface Sums {
  readonly count: number;
  readonly x: number;
  readonly v: number;
  readonly xx: number;
  readonly xv: number;
  readonly vv: number;
}

interface Point {
  readonly x: number;
  readonly y: number;
  readonly counts: boolean;
}

const NONE: Sums = { count: 0, x: 0, v: 0, xx: 0, xv: 0, vv: 0 };

/**
 * A sliding window of points with the least-squares line through any part of it in constant time. For normal errors no
 * unbiased estimate has a smaller variance (Gauss-Markov; the variance of the slope is the Cramér-Rao bound). Sums are
 * kept relative to a line near the points, so that they stay exact for days.
 */
export class LineWindow {
  readonly #most: number;
  #points: Point[] = [];
  #sums: Sums[] = [NONE];
  #reference = { x: 0, y: 0, slope: 0 };

  /** Capacity in points. */
  constructor(most: number) {
    this.#most = most;
  }

  /** The last point; undefined if there is none. */
  get last(): Point | undefined {
    return this.#points.at(-1);
  }

  /** A point that doesn't count stays in the window but is left out of the fit. */
  push(x: number, y: number, counts = true): void {
    this.#points.push({ x, y, counts });
    // Now and then, drop old points and renew the reference line.
    if (this.#points.length > 2 * this.#most) this.keepLast(this.#most);
    else if (this.#points.length < 3) this.#renew();
    else this.#add(this.#points.length - 1);
  }

  keepLast(count: number): void {
    this.#points = count > 0 ? this.#points.slice(-count) : [];
    this.#renew();
  }

  /** The line through all points but the last `skip`; null if fewer than two x count. */
  line(skip = 0): FittedLine | null {
    const end = this.#points.length - skip;
    const from = Math.max(0, this.#points.length - this.#most);
    if (end <= from) return null;
    const { count, x, v, xx, xv, vv } = difference(this.#sum(end), this.#sum(from));
    if (count < 2) return null;
    const spreadX = xx - (x * x) / count;
    if (!(spreadX > 1e-9)) return null;
    const tilt = (xv - (x * v) / count) / spreadX;
    const { x: x0, y: y0, slope: slope0 } = this.#reference;
    const slope = slope0 + tilt;
    const middle = x0 + x / count;
    const middleY = y0 + slope0 * (middle - x0) + v / count;
    return {
      slope,
      at: (place) => middleY + slope * (place - middle),
      where: (y) => middle + (y - middleY) / slope,
      count,
      middle,
      squares: Math.max(0, vv - (v * v) / count - tilt * tilt * spreadX),
      leverage: (place) => 1 / count + (place - middle) ** 2 / spreadX,
      slopeVariance: 1 / spreadX,
    };
  }

  /** Mean distance of the last `look` counting points from a line, and their mean x. */
  offOf(line: FittedLine, look: number): { off: number; middle: number; count: number } {
    const end = this.#points.length;
    const { count, x, v } = difference(this.#sum(end), this.#sum(Math.max(0, end - look)));
    const { x: x0, y: y0, slope } = this.#reference;
    const middle = x0 + x / count;
    return { off: y0 + slope * (middle - x0) + v / count - line.at(middle), middle, count };
  }

  #sum(index: number): Sums {
    return this.#sums[index] ?? NONE;
  }

  #renew(): void {
    const [first, last] = [this.#points[0], this.#points.at(-1)];
    const rises = first && last && last.x !== first.x ? (last.y - first.y) / (last.x - first.x) : 0;
    this.#reference = { x: first?.x ?? 0, y: first?.y ?? 0, slope: rises };
    this.#sums = [NONE];
    for (let i = 0; i < this.#points.length; i++) this.#add(i);
  }

  #add(index: number): void {
    const { x: pointX, y, counts } = this.#points[index] as Point;
    const before = this.#sum(index);
    if (!counts) {
      this.#sums[index + 1] = before;
      return;
    }
    const x = pointX - this.#reference.x;
    const v = y - this.#reference.y - this.#reference.slope * x;
    this.#sums[index + 1] = {
      count: before.count + 1,
      x: before.x + x,
      v: before.v + v,
      xx: before.xx + x * x,
      xv: before.xv + x * v,
      vv: before.vv + v * v,
    };
  }
}

function difference(a: Sums, b: Sums): Sums {
  return {
    count: a.count - b.count,
    x: a.x - b.x,
    v: a.v - b.v,
    xx: a.xx - b.xx,
    xv: a.xv - b.xv,
    vv: a.vv - b.vv,
  };
}
