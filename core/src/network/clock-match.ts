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

const MAX_EXCHANGES = 128;
const MEMORY_MS = 300_000;
/** Uncertainty of an exchange even at the shortest round trip: 100 us timestamps, and scheduling at both ends. */
const FLOOR_MS = 0.05;
/** Crystals differ by some tens of ppm (common practice). */
const PRIOR_DRIFT = 30e-6;

interface Sample {
  atMs: number;
  offsetMs: number;
  roundTripMs: number;
}

/**
 * Estimates offset and drift of another clock from message exchanges. An exchange slower than the fastest one can be
 * off by half the excess, so its weight drops accordingly; weighted least squares gives the offset, and the drift as
 * its slope, which is held near zero until there is enough data.
 */
export class ClockMatch {
  #samples: Sample[] = [];
  #middleMs = 0;
  #offsetMs = 0;
  #drift = 0;
  #standardErrorMs = Infinity;
  #roundTripMs = Infinity;

  /** Discards impossible exchanges. */
  push({ sentMs, theirsMs, receivedMs }: Exchange): void {
    const roundTripMs = receivedMs - sentMs;
    if (!(roundTripMs >= 0) || !Number.isFinite(theirsMs)) return;
    const atMs = (sentMs + receivedMs) / 2;
    this.#samples = this.#samples.filter((sample) => atMs - sample.atMs < MEMORY_MS).slice(1 - MAX_EXCHANGES);
    this.#samples.push({ atMs, offsetMs: theirsMs - atMs, roundTripMs });
    this.#fit();
  }

  /** Null before the first exchange. */
  at(nowMs: number): ClockDifference | null {
    if (this.#samples.length === 0) return null;
    return {
      offsetMs: this.#offsetMs + this.#drift * (nowMs - this.#middleMs),
      driftPpm: this.#drift * 1e6,
      standardErrorMs: this.#standardErrorMs,
      roundTripMs: this.#roundTripMs,
    };
  }

  get count(): number {
    return this.#samples.length;
  }

  /** Their time at a moment of ours, ms. */
  toTheirs(oursMs: number): number {
    return oursMs + this.#offsetMs + this.#drift * (oursMs - this.#middleMs);
  }

  /** Our time at a moment of theirs, ms. */
  toOurs(theirsMs: number): number {
    return (theirsMs - this.#offsetMs + this.#drift * this.#middleMs) / (1 + this.#drift);
  }

  #fit(): void {
    const samples = this.#samples;
    const shortest = samples.reduce((least, { roundTripMs }) => Math.min(least, roundTripMs), Infinity);
    // Relative to the newest sample; absolute offsets between distant epochs would lose precision.
    const base = samples.at(-1)?.offsetMs ?? 0;
    const line = fitLine(samples, base, shortest, FLOOR_MS);
    // If even the fastest exchanges scatter, jitter hits both directions and a short round trip is no better evidence.
    const quick = [...samples].sort((a, b) => a.roundTripMs - b.roundTripMs).slice(0, Math.ceil(samples.length / 3));
    const even = fitLine(quick, base, shortest, shortest + 1);
    const scatter = rootMeanSquare(quick.map(({ atMs, offsetMs }) => offsetMs - base - even.at(atMs)));
    const { middleMs, offsetMs, drift, total } = scatter > FLOOR_MS ? fitLine(samples, base, shortest, scatter) : line;
    this.#middleMs = middleMs;
    this.#offsetMs = base + offsetMs;
    this.#drift = drift;
    this.#standardErrorMs = Math.sqrt(1 / total);
    this.#roundTripMs = shortest;
  }
}

/** Weighted least squares; `floorMs`: uncertainty of the fastest exchange. */
function fitLine(samples: readonly Sample[], baseMs: number, shortestMs: number, floorMs: number) {
  const weights = samples.map(({ roundTripMs }) => 1 / (floorMs ** 2 + ((roundTripMs - shortestMs) / 2) ** 2));
  const total = weights.reduce((sum, weight) => sum + weight, 0);
  const mean = (value: (sample: Sample) => number) =>
    samples.reduce((sum, sample, i) => sum + value(sample) * (weights[i] ?? 0), 0) / total;
  const middleMs = mean(({ atMs }) => atMs);
  const offsetMs = mean((sample) => sample.offsetMs - baseMs);
  const spread = mean(({ atMs }) => (atMs - middleMs) ** 2) * total;
  const along = mean((sample) => (sample.atMs - middleMs) * (sample.offsetMs - baseMs - offsetMs)) * total;
  const drift = along / (spread + PRIOR_DRIFT ** -2);
  return { middleMs, offsetMs, drift, total, at: (ms: number) => offsetMs + drift * (ms - middleMs) };
}

function rootMeanSquare(values: readonly number[]): number {
  return Math.sqrt(values.reduce((sum, value) => sum + value ** 2, 0) / Math.max(1, values.length));
}
