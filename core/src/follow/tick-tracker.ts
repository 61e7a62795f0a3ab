import { Explanation, type Model } from './explanation';

const { exp, max } = Math;

const MAX_EXPLANATIONS = 20;
/** ... of which no more are held up, so that they can't crowd out a change of tempo. */
const MAX_HELD_UP = 8;
/** Explanations this much less likely than the best are dropped, nats. */
const HOPELESS = 19;
/** Only these branch into rarer events, nats. */
const BRANCHES_WITHIN = 6;
/** The share of all explanations that has to agree on the number of the last tick. */
const SURE = 0.99;

/**
 * Which tick of the song each arriving tick is, and when ticks are due. Each arrival can be explained in several ways: on
 * time at the tempo so far, late after a hold-up, after some lost ones, twice, at a new tempo, after a pause. All are
 * followed side by side with their likelihood, as in multiple hypothesis tracking (Reid, 1979) and Bayesian change-point
 * detection (Adams and MacKay, 2007); the best one is believed until another explains more.
 */
export class TickTracker {
  readonly #model: Model;
  #explanations: Explanation[] = [];
  #lastMs = -Infinity;

  constructor(model: Model) {
    this.#model = model;
  }

  /** The best explanation; undefined before the first tick. */
  get best(): Explanation | undefined {
    return this.#explanations[0];
  }

  /** Whether practically all explanations agree on the number of the last tick. */
  get isSure(): boolean {
    const { best } = this;
    if (!best) return false;
    let [agree, all] = [0, 0];
    for (const one of this.#explanations) {
      const weight = exp(one.logLikelihood - best.logLikelihood);
      all += weight;
      agree += weight * one.shareOf(best.number);
    }
    return agree >= SURE * all;
  }

  /** The next tick has this number, whatever was thought before. */
  number(next: number): void {
    for (const one of this.#explanations) one.renumber(next - 1);
    this.#prune(this.#explanations);
  }

  /** A tick arrives. `begins`: the first after a start, which often restarts the tick phase. */
  push(atMs: number, begins = false): void {
    if (!Number.isFinite(atMs)) return;
    if (this.#explanations.length === 0) {
      this.#explanations = Explanation.first(atMs, begins);
      this.#lastMs = atMs;
      return;
    }
    const next: Explanation[] = [];
    let best = -Infinity;
    for (const one of this.#explanations) {
      const rarer = one.logLikelihood > -BRANCHES_WITHIN;
      const ways = begins
        ? one.beginnings(atMs)
        : one.after(atMs, this.#lastMs, { model: this.#model, limit: best - HOPELESS, rarer });
      for (const way of ways) {
        best = max(best, way.logLikelihood);
        next.push(way);
      }
    }
    this.#lastMs = atMs;
    // Nothing explains it at all only if numbers have run out: begin anew.
    this.#prune(next.length > 0 ? next : Explanation.first(atMs));
  }

  /** Keeps the likeliest, after those that come to the same have been merged. */
  #prune(all: Explanation[]): void {
    all.sort((a, b) => b.logLikelihood - a.logLikelihood);
    const best = all[0]?.logLikelihood ?? 0;
    const kept: Explanation[] = [];
    let heldUp = 0;
    for (const one of all) {
      if (one.logLikelihood < best - HOPELESS) break;
      const same = kept.find((other) => other.isLike(one));
      if (same) same.merge(one);
      else if (kept.length < MAX_EXPLANATIONS && !(one.isHeldUp && heldUp === MAX_HELD_UP)) {
        kept.push(one);
        if (one.isHeldUp) heldUp++;
      }
    }
    kept.sort((a, b) => b.logLikelihood - a.logLikelihood);
    const least = kept[0]?.logLikelihood ?? 0;
    for (const one of kept) one.logLikelihood -= least;
    this.#explanations = kept;
  }
}
