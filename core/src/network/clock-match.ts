import { mean } from 'd3-array';

/** Timestamps of an exchange: sent on our clock, answered on theirs, received on ours, all in ms. */
export interface Exchange {
  sentMs: number;
  theirsMs: number;
  receivedMs: number;
}

export interface ClockDifference {
  /** Current offset, ms: add to our time to get theirs. */
  offsetMs: number;
  /** How much faster their clock runs, ppm; 0 until there is enough data. */
  driftPpm: number;
  /** Standard error of the offset, ms. */
  standardErrorMs: number;
  /** Shortest round trip, ms. Half of it bounds the error from asymmetric paths. */
  roundTripMs: number;
}

const MAX_EXCHANGES = 8192;
const MEMORY_MS = 300_000;
const MAX_UNREAD = 256;
/** Uncertainty of a timestamp: steps of 100 us, and scheduling at both ends. */
const FLOOR_MS = 0.05;
/** What is left of it in the mean, for on a steady path all are rounded alike. */
const ROUNDING_MS = 0.02;
/** Crystals differ by some tens of ppm (common practice). */
const PRIOR_DRIFT = 60e-6;
/** The shares of the exchanges, slowest left out, that are tried; from all of them to the fastest. */
const SHARES = [1, 0.5, 0.25, 0.12, 0.06, 0.03, 0.015];
/** An estimate may differ from one by faster exchanges by this many of that one's standard errors. */
const AGREE_ERRORS = 3;
/**
 * The one chosen as the most exact of several is less exact than it looks. With this factor, 193 of the 95% intervals
 * hold over 200 simulated networks.
 */
const CHOSEN_FACTOR = 1.2;
/** After an estimate, another one once so much has been added. */
const REFIT_SHARE = 1 / 32;
/** An exchange that took a negative time by this much, beyond the uncertainty: their clock has jumped. */
const JUMP_MS = 0.5;
const JUMP_ERRORS = 4;
const JUMP_EXCHANGES = 3;

interface Sample {
  atMs: number;
  /** Their clock against ours, had the way there, or the way back, taken no time: an upper and a lower bound, ms. */
  mostMs: number;
  leastMs: number;
}

/** Their clock against ours as a line; `offsetMs` at `middleMs`. */
interface Estimate {
  middleMs: number;
  offsetMs: number;
  drift: number;
  /** Variance of the offset at the middle, and of the drift. */
  variance: number;
  driftVariance: number;
}

/**
 * Estimates offset and drift of another clock from message exchanges: a line through what the way there says and one
 * through what the way back says, with a common slope; the clock is midway. What delays a message in a network only ever
 * adds, so the fastest messages are the best evidence, unless jitter spreads evenly around a mean. Both are tried, and
 * what lies in between: for each share of fastest messages the line has a standard error, and the best one counts that
 * agrees with those of all smaller shares (Lepski's rule), which are less exact but safer when the two ways differ.
 */
export class ClockMatch {
  /** Exchanges that aren't part of the estimate yet: it is worked out when asked for, after a reply has left. */
  #unread: Exchange[] = [];
  #samples: Sample[] = [];
  #line: Estimate | null = null;
  #roundTripMs = Infinity;
  #added = 0;
  #impossible = 0;
  #jumps = 0;

  /** Discards impossible exchanges. Quick, for the next message of an exchange must not wait for it. */
  push(exchange: Exchange): void {
    const { sentMs, theirsMs, receivedMs } = exchange;
    if (!(receivedMs >= sentMs) || !Number.isFinite(theirsMs) || !Number.isFinite(receivedMs - sentMs)) return;
    this.#unread.push(exchange);
    if (this.#unread.length >= MAX_UNREAD) this.#read();
  }

  /** Null before the first exchange. */
  at(nowMs: number): ClockDifference | null {
    this.#read();
    return this.#differenceAt(nowMs);
  }

  get count(): number {
    this.#read();
    return this.#samples.length;
  }

  /** How often their clock, or ours, was set while it was compared. */
  get jumps(): number {
    this.#read();
    return this.#jumps;
  }

  /** The last exchange contradicts those before it. */
  get isInDoubt(): boolean {
    this.#read();
    return this.#impossible > 0;
  }

  /** Their time at a moment of ours, ms. */
  toTheirs(oursMs: number): number {
    this.#read();
    return oursMs + (this.#line ? offsetAt(this.#line, oursMs) : 0);
  }

  /** Our time at a moment of theirs, ms. */
  toOurs(theirsMs: number): number {
    this.#read();
    const { offsetMs, drift, middleMs } = this.#line ?? { offsetMs: 0, drift: 0, middleMs: 0 };
    return (theirsMs - offsetMs + drift * middleMs) / (1 + drift);
  }

  #differenceAt(nowMs: number): ClockDifference | null {
    const line = this.#line;
    if (!line) return null;
    const { drift, variance, driftVariance, middleMs } = line;
    // A single exchange can have spent all its time on one way. How evenly the ways share it shows once there are more.
    const unknown = this.#roundTripMs ** 2 / 12 / this.#samples.length ** 3;
    return {
      offsetMs: offsetAt(line, nowMs),
      driftPpm: drift * 1e6,
      standardErrorMs:
        CHOSEN_FACTOR * Math.sqrt(ROUNDING_MS ** 2 + unknown + variance + driftVariance * (nowMs - middleMs) ** 2),
      roundTripMs: this.#roundTripMs,
    };
  }

  #read(): void {
    if (this.#unread.length === 0) return;
    for (const exchange of this.#unread.splice(0)) this.#add(exchange);
  }

  #add({ sentMs, theirsMs, receivedMs }: Exchange): void {
    const atMs = (sentMs + receivedMs) / 2;
    const sample = { atMs, mostMs: theirsMs - sentMs, leastMs: theirsMs - receivedMs };
    const old = this.#samples.findIndex((one) => atMs - one.atMs < MEMORY_MS);
    this.#samples.splice(0, Math.max(old < 0 ? this.#samples.length : old, this.#samples.length - MAX_EXCHANGES + 1));
    this.#samples.push(sample);
    this.#added++;
    this.#impossible = this.#isImpossible(sample) ? this.#impossible + 1 : 0;
    if (this.#impossible >= JUMP_EXCHANGES) {
      this.#samples = this.#samples.slice(-JUMP_EXCHANGES);
      this.#jumps++;
    } else if (this.#line && this.#added <= REFIT_SHARE * this.#samples.length) return;
    this.#fit();
  }

  #isImpossible({ atMs, mostMs, leastMs }: Sample): boolean {
    const now = this.#differenceAt(atMs);
    if (!now) return false;
    const slackMs = JUMP_MS + JUMP_ERRORS * now.standardErrorMs;
    return now.offsetMs > mostMs + slackMs || now.offsetMs < leastMs - slackMs;
  }

  #fit(): void {
    this.#added = 0;
    const samples = this.#samples;
    this.#roundTripMs = samples.reduce((least, { mostMs, leastMs }) => Math.min(least, mostMs - leastMs), Infinity);
    // Relative to the newest sample; absolute offsets between distant epochs would lose precision.
    const { atMs = 0, leastMs: base = 0 } = samples.at(-1) ?? {};
    const ways = [
      samples.map((sample) => ({ x: sample.atMs - atMs, y: sample.mostMs - base })),
      samples.map((sample) => ({ x: sample.atMs - atMs, y: base - sample.leastMs })),
    ] as [Point[], Point[]];
    const best = bestOf(estimates(ways));
    this.#line = { ...best, middleMs: best.middleMs + atMs, offsetMs: best.offsetMs + base };
  }
}

interface Point {
  x: number;
  y: number;
}

/** An estimate for each share of the fastest messages, from all to the fewest. */
function estimates([there, back]: readonly [Point[], Point[]]): Estimate[] {
  let drift = 0;
  let candidates: [readonly Point[], readonly Point[]] = [there, back];
  return SHARES.filter((share) => share * there.length >= 1).map((share) => {
    const count = Math.max(1, Math.round(share * there.length));
    const ways = [fastest(candidates[0], drift, count), fastest(candidates[1], -drift, count)] as const;
    const estimate = through(...ways);
    drift = estimate.drift;
    // The fastest of all aren't far from the fastest half: each share is looked for in the one before the last.
    if (share < 1) candidates = [ways[0].points, ways[1].points];
    return estimate;
  });
}

interface Fastest {
  points: readonly Point[];
  /** Variance of the mean of the fastest, on the assumption that the messages are independent. */
  variance: number;
}

/**
 * The points that lie lowest beside a line with this slope. The variance of such a mean includes that of the limit:
 * Chen (2008), Nonparametric estimation of expected shortfall.
 */
function fastest(candidates: readonly Point[], slope: number, count: number): Fastest {
  const offs = Float64Array.from(candidates, ({ x, y }) => y - slope * x).sort();
  const limit = offs[Math.min(count, offs.length - 1)] ?? 0;
  const lowest = offs.subarray(0, count);
  const middle = mean(lowest) ?? 0;
  const spread = lowest.reduce((sum, off) => sum + (off - middle) ** 2, 0) / Math.max(1, count - 1);
  const ofLimit = count < offs.length ? (limit - middle) ** 2 : 0;
  const most = lowest.at(-1) ?? 0;
  return {
    points: candidates.filter(({ x, y }) => y - slope * x <= most),
    variance: (spread + ofLimit + FLOOR_MS ** 2) / count,
  };
}

/** Two lines, up with the drift and down with it; least squares, with the drift held near zero by its prior. */
function through(there: Fastest, back: Fastest): Estimate {
  const meanOf = (points: readonly Point[], of: keyof Point) => mean(points, (point) => point[of]) ?? 0;
  const [x, y] = [meanOf(there.points, 'x'), meanOf(there.points, 'y')];
  const [xBack, yBack] = [meanOf(back.points, 'x'), meanOf(back.points, 'y')];
  const noise = (variance: number, { points }: Fastest) => variance * points.length;
  const [s, sBack] = [noise(there.variance, there), noise(back.variance, back)];
  let spread = PRIOR_DRIFT ** -2;
  let along = 0;
  for (const point of there.points) {
    spread += (point.x - x) ** 2 / s;
    along += ((point.x - x) * (point.y - y)) / s;
  }
  for (const point of back.points) {
    spread += (point.x - xBack) ** 2 / sBack;
    along -= ((point.x - xBack) * (point.y - yBack)) / sBack;
  }
  const drift = along / spread;
  const middleMs = (x + xBack) / 2;
  return {
    middleMs,
    // The two sides' delays cancel as far as they are alike.
    offsetMs: (y - yBack + drift * (2 * middleMs - x - xBack)) / 2,
    drift,
    variance: (there.variance + back.variance) / 4,
    driftVariance: 1 / spread,
  };
}

/** The most exact one that agrees with all by fewer, faster messages. */
function bestOf(all: readonly Estimate[]): Estimate {
  const now = (estimate: Estimate) => Math.sqrt(estimate.variance + estimate.driftVariance * estimate.middleMs ** 2);
  const fromFastest = [...all].reverse();
  const [safest] = fromFastest;
  if (!safest) throw new RangeError('There is nothing to estimate from.');
  let best = safest;
  for (const [i, estimate] of fromFastest.entries()) {
    const agrees = fromFastest
      .slice(0, i)
      .every((safer) => Math.abs(offsetAt(estimate, 0) - offsetAt(safer, 0)) < AGREE_ERRORS * now(safer));
    if (!agrees) break;
    if (now(estimate) < now(best)) best = estimate;
  }
  return best;
}

function offsetAt({ middleMs, offsetMs, drift }: Estimate, ms: number): number {
  return offsetMs + drift * (ms - middleMs);
}
