/** Three times of an exchange: asked on our clock, answered on theirs, and heard on ours, all in ms. */
export interface Exchange {
  sentMs: number;
  theirsMs: number;
  receivedMs: number;
}

export interface ClockDifference {
  /** Added to our time it gives theirs, ms, now. */
  offsetMs: number;
  /** How much faster their clock runs, parts per million; 0 until enough time has passed to tell. */
  driftPpm: number;
  /** The standard error of the offset by chance, ms. */
  standardErrorMs: number;
  /** The shortest way there and back, ms. Half of it is the most that the offset can be off by a way that is longer one way. */
  roundTripMs: number;
}

const MOST_EXCHANGES = 128;
const MEMORY_MS = 300_000;
/** What an exchange is thought to be off by even on the shortest way: stamps of 100 us, and programs that wait their turn. */
const FLOOR_MS = 0.05;
/** Crystals differ by some tens of parts per million (common practice). */
const PRIOR_DRIFT = 30e-6;

interface Sample {
  atMs: number;
  offsetMs: number;
  roundTripMs: number;
}

/**
 * How another clock runs beside ours, from messages there and back. An exchange that took longer than the shortest may be off
 * by half of what it took longer, and counts that much less; a line of weighted least squares runs through the rest, whose slope
 * is held near nothing until the exchanges know better.
 */
export class ClockMatch {
  #samples: Sample[] = [];
  #middleMs = 0;
  #offsetMs = 0;
  #drift = 0;
  #standardErrorMs = Infinity;
  #roundTripMs = Infinity;

  /** An exchange that cannot be is left out. */
  push({ sentMs, theirsMs, receivedMs }: Exchange): void {
    const roundTripMs = receivedMs - sentMs;
    if (!(roundTripMs >= 0) || !Number.isFinite(theirsMs)) return;
    const atMs = (sentMs + receivedMs) / 2;
    this.#samples = this.#samples.filter((sample) => atMs - sample.atMs < MEMORY_MS).slice(1 - MOST_EXCHANGES);
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

  /** What their clock shows when ours shows this, ms. */
  toTheirs(oursMs: number): number {
    return oursMs + this.#offsetMs + this.#drift * (oursMs - this.#middleMs);
  }

  /** What our clock shows when theirs shows this, ms. */
  toOurs(theirsMs: number): number {
    return (theirsMs - this.#offsetMs + this.#drift * this.#middleMs) / (1 + this.#drift);
  }

  #fit(): void {
    const samples = this.#samples;
    const shortest = samples.reduce((least, { roundTripMs }) => Math.min(least, roundTripMs), Infinity);
    // Offsets against the newest: clocks that were started years apart would eat the digits.
    const base = samples.at(-1)?.offsetMs ?? 0;
    const line = fitLine(samples, base, shortest, FLOOR_MS);
    // Where even the quick ones scatter, the way is uneven in both directions, and quick ones are not better than others.
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

/** Weighted least squares; `floorMs`: what the quickest exchange is off by, by chance. */
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
