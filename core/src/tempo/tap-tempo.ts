import { median, pairs } from 'd3-array';

/** A tempo is told from so many taps on. */
const FEWEST_TAPS = 4;
const KEPT_TAPS = 12;
/** After a pause of this many of the last intervals, and at least so long, the next tap begins anew. */
const PAUSE_INTERVALS = 2.6;
const LEAST_PAUSE_MS = 900;
const FIRST_PAUSE_MS = 3000;
/** A tap this far from where it should have come, in parts of a beat, is a slip. */
const SLIP = 0.18;
/** Taps in a row this even (in parts of their interval) that go at another tempo mean that tempo. */
const EVEN = 0.1;

/**
 * Tempo from tapping along: settles in four taps, in tenths of a BPM, forgives a tap that was missed, doubled or out of
 * place, and begins anew after a pause. (That boxes show one decimal of a tapped tempo is common practice.)
 */
export class TapTempo {
  /** The beats that were tapped, counted, with their times in ms. */
  #taps: { beat: number; atMs: number }[] = [];
  /** The last taps, whether they fitted or not, in ms. */
  #recent: number[] = [];

  /** A tap at `atMs`; gives the tempo in BPM once it is known. */
  tap(atMs: number): number | null {
    const interval = this.#intervalMs();
    const pauseMs = interval === null ? FIRST_PAUSE_MS : Math.max(LEAST_PAUSE_MS, PAUSE_INTERVALS * interval);
    if (atMs - (this.#recent.at(-1) ?? atMs) > pauseMs) this.#taps = this.#recent = [];
    this.#recent = [...this.#recent.slice(1 - FEWEST_TAPS), atMs];
    this.#place(atMs, interval);
    if (this.#goesAtAnotherTempo()) this.#taps = this.#recent.map((ms, beat) => ({ beat, atMs: ms }));
    return this.bpm;
  }

  /** Rounded to a tenth; null until it is known. */
  get bpm(): number | null {
    const interval = this.#intervalMs();
    if (interval === null || this.#taps.length < FEWEST_TAPS) return null;
    return Math.round(600_000 / interval) / 10;
  }

  #place(atMs: number, interval: number | null): void {
    const last = this.#taps.at(-1);
    const beats = last && interval !== null ? (atMs - last.atMs) / interval : 1;
    const steps = Math.round(beats);
    const slip = SLIP * (this.#taps.length < FEWEST_TAPS ? 2 : 1);
    if (steps < 1 || Math.abs(beats - steps) > slip) return;
    this.#taps = [...this.#taps.slice(1 - KEPT_TAPS), { beat: (last?.beat ?? -steps) + steps, atMs }];
  }

  #goesAtAnotherTempo(): boolean {
    const intervals = pairs(this.#recent, (a, b) => b - a);
    const recent = median(intervals) ?? 0;
    const even = intervals.length === FEWEST_TAPS - 1 && intervals.every((ms) => Math.abs(ms / recent - 1) < EVEN);
    return even && Math.abs(recent / (this.#intervalMs() ?? recent) - 1) > EVEN;
  }

  /** The slope of the line through the taps, as the median of all pairs (Theil 1950, Sen 1968): one bad tap cannot tilt it. */
  #intervalMs(): number | null {
    const taps = this.#taps;
    const slopes = taps.flatMap((tap, i) =>
      taps.slice(i + 1).map((later) => (later.atMs - tap.atMs) / (later.beat - tap.beat)),
    );
    return median(slopes) ?? null;
  }
}
