import { median, pairs } from 'd3-array';

/** Taps needed for a tempo. */
const MIN_TAPS = 4;
const KEPT_TAPS = 12;
/** After a pause of this many intervals, and at least this long, the next tap starts over. */
const PAUSE_INTERVALS = 2.6;
const MIN_PAUSE_MS = 900;
const FIRST_PAUSE_MS = 3000;
/** A tap this far from its expected time, in beats, is an outlier. */
const SLIP = 0.18;
/** Recent taps at another tempo replace it if they are this consistent (relative to their interval). */
const EVEN = 0.1;

/**
 * Tap tempo: settles within four taps, in tenths of a BPM, tolerates a missed, doubled or stray tap, and starts over
 * after a pause. (Showing a tapped tempo to one decimal is common practice.)
 */
export class TapTempo {
  /** Taps by beat number, with their times in ms. */
  #taps: { beat: number; atMs: number }[] = [];
  /** Times of the last taps, outliers included, in ms. */
  #recent: number[] = [];

  /** A tap at `atMs`; returns the tempo in BPM once it is known. */
  tap(atMs: number): number | null {
    const interval = this.#intervalMs();
    const pauseMs = interval === null ? FIRST_PAUSE_MS : Math.max(MIN_PAUSE_MS, PAUSE_INTERVALS * interval);
    if (atMs - (this.#recent.at(-1) ?? atMs) > pauseMs) this.#taps = this.#recent = [];
    this.#recent = [...this.#recent.slice(1 - MIN_TAPS), atMs];
    this.#place(atMs, interval);
    if (this.#goesAtAnotherTempo()) this.#taps = this.#recent.map((ms, beat) => ({ beat, atMs: ms }));
    return this.bpm;
  }

  /** Rounded to a tenth; null until it is known. */
  get bpm(): number | null {
    const interval = this.#intervalMs();
    if (interval === null || this.#taps.length < MIN_TAPS) return null;
    return Math.round(600_000 / interval) / 10;
  }

  #place(atMs: number, interval: number | null): void {
    const last = this.#taps.at(-1);
    const beats = last && interval !== null ? (atMs - last.atMs) / interval : 1;
    const steps = Math.round(beats);
    const slip = SLIP * (this.#taps.length < MIN_TAPS ? 2 : 1);
    if (steps < 1 || Math.abs(beats - steps) > slip) return;
    this.#taps = [...this.#taps.slice(1 - KEPT_TAPS), { beat: (last?.beat ?? -steps) + steps, atMs }];
  }

  #goesAtAnotherTempo(): boolean {
    const intervals = pairs(this.#recent, (a, b) => b - a);
    const recent = median(intervals) ?? 0;
    const even = intervals.length === MIN_TAPS - 1 && intervals.every((ms) => Math.abs(ms / recent - 1) < EVEN);
    return even && Math.abs(recent / (this.#intervalMs() ?? recent) - 1) > EVEN;
  }

  /** Slope as the median over all pairs of taps (Theil 1950, Sen 1968): robust against a single bad tap. */
  #intervalMs(): number | null {
    const taps = this.#taps;
    const slopes = taps.flatMap((tap, i) =>
      taps.slice(i + 1).map((later) => (later.atMs - tap.atMs) / (later.beat - tap.beat)),
    );
    return median(slopes) ?? null;
  }
}
