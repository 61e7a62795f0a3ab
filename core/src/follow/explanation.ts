// Called for every explanation of every tick: bound once, because global look-ups are slow where code runs in a sandbox.
const { abs, exp, log, log1p, max, min, round, sqrt } = Math;

/** What is expected of a clock. */
export interface Model {
  /** Ticks that the estimate is made of while the tempo is steady. */
  window: number;
  /** Logarithm of the chance, per tick, that the tempo changes. */
  logChange: number;
}

/** Clock comes at 10 to 600 BPM; what says otherwise is no tempo. */
export const MIN_INTERVAL_MS = 60_000 / 600 / 24;
export const MAX_INTERVAL_MS = 60_000 / 10 / 24;
/** Prior for the jitter: pseudo-count and standard deviation, ms. */
const PRIOR_TICKS = 4;
const PRIOR_JITTER_MS = 1;
const MIN_JITTER_MS = 0.02;
/** A variance so large that the quantity counts as unknown. */
const UNKNOWN = 1e5;
/** Logarithms of the chances of events, per tick. */
const LOG_ON_TIME = log(0.97);
const LOG_LOST = log(0.001);
const LOG_LOST_AGAIN = log(0.05);
const LOG_LOST_TOO = -0.6;
const MOST_LOST = -3;
const LOG_TWICE = log(1e-4);
const LOG_TWICE_LATER = log(1e-7);
const LOG_TWICE_AGAIN = log(0.05);
const LOG_TWICE_IN_HOLD_UP = log(0.5);
const LOG_TWICE_UNNOTICED = log(1e-5);
const LOG_HELD_UP = log(0.002);
const LOG_STILL_HELD_UP = log(0.9);
const LOG_PAUSED = log(1e-5);
const LOG_SWAPPED = log(0.5);
const LOG_ANOTHER_PHASE = log(0.3);
const LOG_BEGINS_HELD_UP = log(0.05);
/** Scales of what can't be told in advance, ms. */
const HOLD_UP_MS = 300;
const PAUSE_MS = 1000;
const BUNCH_MS = 0.7;
const BUNCHED = 0.85;
/** Within this many deviations, a tick counts as on time. */
const ON_TIME_DEVIATIONS = 2.5;
/** While ticks are on time, a small change is considered every few ticks only. */
const LOOKS_EVERY = 3;
const SMALL_CHANGE = 0.03;
const ANY_CHANGE = 0.2;
/** Explanations this close, in deviations, expect the same. */
const CLOSE = 0.3;
const CLOSE_WANDERING = 1;
/** Tempo changes: relative size, and the logarithm of how much rarer each is than the most common. */
const CHANGES = [
  { by: 0.03, chance: 0 },
  { by: 0.2, chance: -0.5 },
  { by: 0.8, chance: -1.5 },
  { by: 3, chance: -2 },
];
/** Change per tick of a tempo that wanders, and the chance that it settles. */
const WANDERS_BY = 0.004;
const LOG_SETTLES = log(0.02);
/** A sender that paused hardly ever loses ticks as well, unless it is known to lose some. */
const LOST_IN_PAUSE = 0.0003;
const LOST_IN_PAUSE_OF_LOSSY = 0.05;
const MAX_IN_PAUSE = 4;
const LOSSY = 0.005;
/** A tick that was skipped may come as many ticks later. */
const STILL_COME = 3;
/** A lost or doubled tick this recent may just as well have been a change of tempo, and the other way round, ticks. */
const RECENT = 24;
/** A tempo younger than this doesn't tell a lost tick from a slower one, ticks. */
const YOUNG = 8;
const LOSSY_FOR = 0.99;
const LEAST_SHARE = 1e-6;
const MAX_LABELS = 12;
/** Forgetting with which old ticks weigh as much as in a window of that length. */
const FORGETS = 3;
const AGE_CLASSES = Uint8Array.from({ length: 1024 }, (_, age) => Math.ceil(2 * Math.log2(age + 1)));

interface Circumstances {
  model: Model;
  /** Logarithm of the likelihood that it takes. */
  limit: number;
  rarer: boolean;
}

interface Label {
  readonly number: number;
  readonly share: number;
}

const CERTAIN: readonly Label[] = [{ number: 0, share: 1 }];

/**
 * One explanation of all ticks so far: a least-squares line through their times (recursive least squares with forgetting,
 * as two states with their covariance), the jitter around it (with a Student-t predictive density, as for normal noise of
 * unknown variance), and what the number of the last tick may be.
 */
export class Explanation {
  /** Relative to the best. */
  logLikelihood = 0;
  missing = 0;
  extra = 0;
  /** When the last tick was due, and the interval, ms. */
  ms: number;
  intervalMs: number;
  /** Covariance, as a multiple of the jitter's variance: of the phase, both, and the interval. */
  #pp: number;
  #pi: number;
  #ii: number;
  /** Pseudo-count and sum of squares of the jitter. */
  #count = PRIOR_TICKS;
  #squares = PRIOR_TICKS * PRIOR_JITTER_MS ** 2;
  /** Ticks since the tempo changed. */
  age = 0;
  #heldTicks = 0;
  /** No one knows when the last tick was due. */
  #isAdrift = false;
  wanders = false;
  /** Ticks that are thought lost, but may still come; ticks that came since; and what `#sinceOff` was before. */
  #skipped = 0;
  #sinceSkipped = 0;
  #sinceOffBefore = Infinity;
  /** The last tick was the first of all, or of a song. */
  #isFirst = false;
  /** Recent shares of lost and doubled ticks, and of those handed over in the wrong order. */
  #lossy = 0;
  #doubled = 0;
  #swaps = 0;
  /** Ticks since one was lost or doubled. */
  #sinceOff = Infinity;
  /** Share in which the tempo changed while ticks were lost or doubled, so that the count can't be relied on. */
  #doubt = 0;
  /** What the last tick may be, relative to a number, the likeliest first. */
  #labels: readonly Label[] = CERTAIN;
  #from = 0;

  private constructor(ms: number, intervalMs: number, [pp, pi, ii]: readonly [number, number, number]) {
    this.ms = ms;
    this.intervalMs = intervalMs;
    this.#pp = pp;
    this.#pi = pi;
    this.#ii = ii;
  }

  /** The first tick of all; `begins`: of a song, so that it may also have been held up. */
  static first(ms: number, begins = false): Explanation[] {
    const intervalMs = 60_000 / 120 / 24;
    const one = new Explanation(ms, intervalMs, [1, 0, UNKNOWN]);
    one.#isFirst = true;
    if (!begins) return [one];
    const held = new Explanation(ms, intervalMs, [1, 0, UNKNOWN]).likely(LOG_BEGINS_HELD_UP);
    held.#isAdrift = true;
    held.#heldTicks = 1;
    return [one, held];
  }

  /** The likeliest number of the last tick. */
  get number(): number {
    return this.#from + (this.#labels[0]?.number ?? 0);
  }

  get isHeldUp(): boolean {
    return this.#heldTicks > 0;
  }

  get jitterMs(): number {
    return max(MIN_JITTER_MS, sqrt(this.#squares / this.#count));
  }

  /** How much speaks for a number. */
  shareOf(number: number): number {
    const share = this.#labels.find((label) => this.#from + label.number === number)?.share ?? 0;
    return share * (1 - this.#doubt);
  }

  renumber(number: number): void {
    this.#labels = CERTAIN;
    this.#from = number;
    this.#doubt = 0;
  }

  /**
   * The ways in which a tick may follow, as far as they are likelier than a limit. `rarer`: also those that are too rare to
   * start from an unlikely explanation.
   */
  after(atMs: number, lastMs: number, { model, limit, rarer }: Circumstances): Explanation[] {
    const all: Explanation[] = [];
    const add = (one: Explanation | null) => one && one.logLikelihood > limit && all.push(one);
    const intervals = (atMs - this.ms) / this.intervalMs;
    const nearest = round(intervals);
    // Handed over in the wrong order, unless a clock was set back.
    if (atMs < lastMs || (this.#skipped > 0 && intervals < -0.5)) add(this.#swapped(atMs));
    if (atMs < lastMs) {
      add(this.#paused(atMs, this.isHeldUp ? nearest : 1));
      return all;
    }
    const dueMs = this.ms + this.intervalMs;
    const isOnTime = abs(atMs - dueMs) < ON_TIME_DEVIATIONS * this.jitterMs * sqrt(this.#variance(1));
    add(this.#onTime(atMs, 1, model, limit));
    if (this.wanders) add(this.#settled().#onTime(atMs, 1, model, limit));
    if (isOnTime && !this.isHeldUp) {
      // Small changes show up much later.
      if (rarer && this.age % LOOKS_EVERY === 0) {
        add(this.#changed(SMALL_CHANGE, model.logChange).#onTime(atMs, 1, model, limit));
        if (!this.wanders) add(this.#wandering(model.logChange).#onTime(atMs, 1, model, limit));
      }
      return all;
    }
    if (this.#isOverdue(atMs)) add(this.#heldUp(atMs - lastMs, LOG_STILL_HELD_UP));
    else if (this.isHeldUp && atMs - lastMs < this.intervalMs / 2)
      add(this.#lostInHoldUp(model.logChange).#heldUp(atMs - lastMs, LOG_STILL_HELD_UP));
    if (nearest > 1) add(this.#onTime(atMs, nearest, model, limit));
    if (intervals < 0.6) add(this.#twice(atMs, atMs - lastMs));
    if (!rarer) return all;
    if (!this.isHeldUp && dueMs < atMs - this.jitterMs) add(this.#heldUp(atMs - dueMs, LOG_HELD_UP));
    if (this.isHeldUp)
      for (const { by, chance } of CHANGES) {
        const changed = this.#changedWhileHeld(by, model.logChange + chance);
        add(changed.#onTime(atMs, 1, model, limit));
        const lost = nearest > 1 ? changed.#onTime(atMs, nearest, model, limit) : null;
        if (lost) add(lost.#about());
      }
    for (const { by, chance } of CHANGES) {
      const changed = this.#changed(by, model.logChange + chance);
      add(changed.#onTime(atMs, 1, model, limit));
      if (intervals > 1.3) add(changed.#onTime(atMs, 2, model, limit));
    }
    if (!this.wanders) add(this.#wandering(model.logChange).#onTime(atMs, 1, model, limit));
    add(this.#paused(atMs, this.isHeldUp ? nearest : 1));
    return all;
  }

  /** The first tick after a start: in the phase so far, in another, or held up. */
  beginnings(atMs: number): Explanation[] {
    const nearest = max(1, round((atMs - this.ms) / this.intervalMs));
    const restarted = this.#at(atMs).likely(LOG_ANOTHER_PHASE - log(this.intervalMs));
    const held = this.#at(atMs).likely(LOG_ANOTHER_PHASE + LOG_BEGINS_HELD_UP - log(this.intervalMs));
    held.#heldTicks = 1;
    held.#isAdrift = true;
    const inPhase = this.#onTime(atMs, nearest, null);
    const all = inPhase ? [inPhase, restarted, held] : [restarted, held];
    for (const one of all) {
      one.missing = this.missing;
      one.#skipped = 0;
      one.#isFirst = true;
      one.#labels = this.#labels;
      one.#from = this.#from + 1;
    }
    return all;
  }

  /** Another explanation that expects the same from now on. */
  isLike(other: Explanation): boolean {
    if (this.isHeldUp !== other.isHeldUp || this.wanders !== other.wanders) return false;
    if (this.isHeldUp && this.number !== other.number) return false;
    const closeMs = (this.wanders ? CLOSE_WANDERING : CLOSE) * this.jitterMs;
    if (abs(this.ms - other.ms) > closeMs) return false;
    if (abs(this.intervalMs - other.intervalMs) > closeMs / (4 + min(this.age, 200))) return false;
    return this.wanders || ageClass(this.age) === ageClass(other.age);
  }

  /** Takes over the likelihood of one that is like it, and its numbers. */
  merge(other: Explanation): void {
    const more = exp(other.logLikelihood - this.logLikelihood);
    const shift = other.#from - this.#from;
    if (shift !== 0 || this.#labels !== other.#labels)
      this.#labels = normalized([
        ...this.#labels,
        ...other.#labels.map(({ number, share }) => ({ number: number + shift, share: more * share })),
      ]);
    this.#doubt = (this.#doubt + more * other.#doubt) / (1 + more);
    this.logLikelihood += log1p(more);
  }

  likely(chance: number): this {
    this.logLikelihood += chance;
    return this;
  }

  #copy(): Explanation {
    const copy = new Explanation(this.ms, this.intervalMs, [this.#pp, this.#pi, this.#ii]);
    copy.logLikelihood = this.logLikelihood;
    copy.missing = this.missing;
    copy.extra = this.extra;
    copy.#count = this.#count;
    copy.#squares = this.#squares;
    copy.age = this.age;
    copy.#heldTicks = this.#heldTicks;
    copy.#isAdrift = this.#isAdrift;
    copy.wanders = this.wanders;
    copy.#skipped = this.#skipped;
    copy.#sinceSkipped = this.#sinceSkipped;
    copy.#sinceOffBefore = this.#sinceOffBefore;
    copy.#lossy = this.#lossy;
    copy.#doubled = this.#doubled;
    copy.#swaps = this.#swaps;
    copy.#sinceOff = this.#sinceOff;
    copy.#doubt = this.#doubt;
    copy.#labels = this.#labels;
    copy.#from = this.#from;
    return copy;
  }

  /** The tick is on time, after some that were lost. `model` null: nothing is forgotten. */
  #onTime(atMs: number, ticks: number, model: Model | null, limit = -Infinity): Explanation | null {
    if (this.#isAdrift) {
      const first = this.#at(atMs).likely(LOG_ON_TIME - log(HOLD_UP_MS));
      first.#from += 1;
      return ticks === 1 ? first : null;
    }
    const dueMs = this.ms + ticks * this.intervalMs;
    const late = atMs - dueMs;
    const variance = this.#variance(ticks);
    let chance = LOG_ON_TIME + logStudent(late, this.jitterMs * sqrt(variance), this.#count);
    if (ticks > 1) chance += this.#logLost + max(MOST_LOST, LOG_LOST_TOO * (ticks - 1));
    if (this.logLikelihood + chance < limit) return null;
    const one = this.#copy().likely(chance);
    one.#pp = variance - 1;
    one.#pi = this.#pi + ticks * this.#ii;
    if (this.wanders) {
      const wander = (WANDERS_BY * this.intervalMs) / this.jitterMs;
      one.#ii += ticks * wander * wander;
    }
    const [gain, gainInterval] = [one.#pp / variance, one.#pi / variance];
    one.ms = dueMs + gain * late;
    one.intervalMs = this.intervalMs + gainInterval * late;
    if (!(one.intervalMs > MIN_INTERVAL_MS && one.intervalMs < MAX_INTERVAL_MS)) return null;
    one.#ii -= gainInterval * one.#pi;
    one.#pi -= gain * one.#pi;
    one.#pp -= gain * one.#pp;
    if (variance < UNKNOWN / 2) {
      one.#squares += (late * late) / variance;
      one.#count++;
    }
    const window = model?.window ?? Infinity;
    if (one.age > window) {
      const keep = 1 - FORGETS / window;
      one.#pp /= keep;
      one.#pi /= keep;
      one.#ii /= keep;
    }
    if (one.#count > window) {
      one.#squares *= window / one.#count;
      one.#count = window;
    }
    one.age++;
    one.#heldTicks = 0;
    one.missing += ticks - 1;
    const pending = this.#sinceSkipped < STILL_COME ? this.#skipped : 0;
    one.#skipped = pending + ticks - 1;
    one.#sinceSkipped = ticks > 1 ? 0 : this.#sinceSkipped + 1;
    if (pending === 0) one.#sinceOffBefore = this.#sinceOff;
    if (this.#skipped > 0 && (this.wanders || this.age < YOUNG)) one.#doubt = 1;
    one.#lossy = LOSSY_FOR * this.#lossy + (1 - LOSSY_FOR) * (ticks - 1);
    one.#doubled = LOSSY_FOR * this.#doubled;
    one.#swaps = LOSSY_FOR * this.#swaps;
    one.#sinceOff = ticks > 1 ? 0 : this.#sinceOff + 1;
    one.#from += ticks;
    return one;
  }

  /** It was due earlier: the time of its arrival says nothing. */
  #heldUp(lateMs: number, chance: number): Explanation {
    const one = this.#copy();
    one.ms = this.ms + this.intervalMs;
    one.#pp = this.#pp + 2 * this.#pi + this.#ii;
    one.#pi = this.#pi + this.#ii;
    one.likely(chance + (this.isHeldUp ? logBunched(lateMs) : -lateMs / HOLD_UP_MS - log(HOLD_UP_MS)));
    one.#heldTicks++;
    one.#from += 1;
    return one;
  }

  #twice(atMs: number, gapMs: number): Explanation {
    const again = this.#doubled > LOSSY;
    const one = this.#copy();
    if (!this.isHeldUp)
      one.likely(
        again
          ? LOG_TWICE_AGAIN - log(this.intervalMs)
          : log(exp(LOG_TWICE - gapMs / BUNCH_MS) / BUNCH_MS + exp(LOG_TWICE_LATER) / this.intervalMs),
      );
    else if (this.#isOverdue(atMs)) one.likely(LOG_TWICE_UNNOTICED + logBunched(gapMs));
    // More comes at once than can have been held up.
    else one.likely((again ? LOG_TWICE_IN_HOLD_UP : LOG_TWICE) + logBunched(gapMs));
    one.extra++;
    one.#doubled = LOSSY_FOR * this.#doubled + 1 - LOSSY_FOR;
    one.#sinceOff = 0;
    return one;
  }

  /** One that was thought lost: the one before it was handed over too early. */
  #swapped(atMs: number): Explanation {
    const one = this.#copy();
    const off = (atMs - this.ms) / this.intervalMs;
    const late = (off - round(off)) * this.intervalMs;
    one.likely(
      (this.#skipped > 0 ? LOG_SWAPPED : LOG_TWICE) + logStudent(late, this.jitterMs * Math.SQRT2, this.#count),
    );
    if (this.#skipped > 0) {
      one.missing--;
      one.#skipped--;
      if (one.#skipped === 0) one.#sinceOff = this.#sinceOffBefore;
      one.#lossy = max(0, one.#lossy - (1 - LOSSY_FOR));
      one.#swaps += 1 - LOSSY_FOR;
    }
    // The first was taken for this one, or no tempo is known yet.
    else if (this.#isFirst || this.age === 0) one.#from++;
    else one.extra++;
    return one;
  }

  get #isUnreliable(): boolean {
    return this.#sinceOff < RECENT;
  }

  /** One that comes too early also looks as if the tick before it were lost. */
  get #logLost(): number {
    return this.#lossy > LOSSY || this.#swaps > LOSSY ? LOG_LOST_AGAIN : LOG_LOST;
  }

  /** Variance of a tick's time so many ticks on, as a multiple of the jitter's. */
  #variance(ticks: number): number {
    return 1 + this.#pp + 2 * ticks * this.#pi + ticks * ticks * this.#ii;
  }

  /** The hold-up goes on: the next tick was due before, or no one knows when. */
  #isOverdue(atMs: number): boolean {
    return this.isHeldUp && (this.#isAdrift || this.ms + this.intervalMs < atMs);
  }

  /** More comes at once than can have been held up: the tempo has changed, and when the ticks were due is anyone's guess. */
  #lostInHoldUp(chance: number): Explanation {
    const one = this.#changed(ANY_CHANGE, chance + log(this.#heldTicks));
    one.#isAdrift = true;
    const labels = this.#perhapsLost();
    // At a tempo that is known, one of those may just as well have been handed over twice.
    one.#labels =
      this.age < YOUNG
        ? labels
        : normalized(labels.flatMap((label) => [label, { ...label, number: label.number - 1 }]));
    return one;
  }

  /** Another tempo from any of the ticks that were held up. */
  #changedWhileHeld(by: number, chance: number): Explanation {
    const one = this.#changed(by, chance + log(this.#heldTicks));
    const more = one.#ii - this.#ii;
    one.#pi += (more * this.#heldTicks) / 2;
    one.#pp += (more * this.#heldTicks ** 2) / 3;
    one.#labels = this.#perhapsLost();
    return one;
  }

  #settled(): Explanation {
    const one = this.#copy().likely(LOG_SETTLES);
    one.wanders = false;
    one.age = 0;
    return one;
  }

  #wandering(chance: number): Explanation {
    const one = this.#copy().likely(chance);
    one.wanders = true;
    if (this.#isUnreliable) one.#doubt = 1;
    return one;
  }

  #changed(by: number, chance: number): Explanation {
    const one = this.#copy().likely(chance);
    one.#ii += ((by * this.intervalMs) / this.jitterMs) ** 2;
    one.age = 0;
    one.wanders = false;
    if (this.#isUnreliable) one.#doubt = 1;
    return one;
  }

  /** The next tick, after a time that says nothing: the sender stood still, or a clock was set. */
  #paused(atMs: number, orTicks = 1): Explanation {
    const one = this.#at(atMs).likely(LOG_PAUSED - log(PAUSE_MS));
    one.#labels = this.#perhapsLost();
    one.#from += 1;
    // After a hold-up, as many may just as well have been lost.
    if (orTicks !== 1)
      one.#labels = one.#labels.flatMap((label) => [label, { ...label, number: label.number + orTicks - 1 }]);
    one.#labels = normalized(one.#labels);
    return one;
  }

  /** What the numbers are if ticks may have been lost where the time doesn't tell. */
  #perhapsLost(): readonly Label[] {
    const lost = this.#lossy > LOSSY ? LOST_IN_PAUSE_OF_LOSSY : LOST_IN_PAUSE;
    const labels: Label[] = [];
    for (let more = 0; more <= MAX_IN_PAUSE; more++)
      for (const { number, share } of this.#labels)
        labels.push({ number: number + more, share: share * (more === 0 ? 1 : lost) });
    return normalized(labels);
  }

  /** One tick more or less. */
  #about(): this {
    this.#labels = normalized(
      this.#labels.flatMap(({ number, share }) => [-1, 0, 1].map((off) => ({ number: number + off, share }))),
    );
    return this;
  }

  /** Its phase is set by this tick alone. */
  #at(atMs: number): Explanation {
    const one = this.#copy();
    one.ms = atMs;
    one.#pp = 1;
    one.#pi = 0;
    one.#heldTicks = 0;
    one.#isAdrift = false;
    return one;
  }
}

/** Classes of age, each about 1.4 times as long as the one before. */
function ageClass(age: number): number {
  return AGE_CLASSES[min(age, AGE_CLASSES.length - 1)] ?? 0;
}

/** Sorted by share, adding up to 1; labels of the same number are one. */
function normalized(labels: readonly Label[]): readonly Label[] {
  const byNumber = new Map<number, number>();
  for (const { number, share } of labels) byNumber.set(number, (byNumber.get(number) ?? 0) + share);
  const all = [...byNumber.values()].reduce((sum, share) => sum + share, 0);
  return [...byNumber]
    .map(([number, share]) => ({ number, share: share / all }))
    .filter(({ share }) => share > LEAST_SHARE)
    .sort((a, b) => b.share - a.share)
    .slice(0, MAX_LABELS);
}

/** Logarithm of the density of the gap between ticks that were held up: most come at once. */
function logBunched(gapMs: number): number {
  return log((BUNCHED / BUNCH_MS) * exp(-gapMs / BUNCH_MS) + (1 - BUNCHED) / HOLD_UP_MS);
}

/** Logarithm of the density of Student's t distribution with a scale; the ratio of gamma functions by its series. */
function logStudent(x: number, scale: number, freedom: number): number {
  const normalizing = 0.5 * log((freedom - 0.5 + 1 / (8 * freedom)) / 2) - 0.5 * log(Math.PI * freedom);
  return normalizing - log(scale) - ((freedom + 1) / 2) * log1p((x / scale) ** 2 / freedom);
}
