import { median } from 'd3-array';
import { detectOnsetsOf, type Onset } from './detect-onsets';
import { findClick, isOwn, withoutClick, type Click, type FoundBleed } from './take-out-click';

const { abs } = Math;

/** Fewer clicks don't tell bleed from a device that happens to sound alike. */
const LEAST_CLICKS = 2;
/** A study takes as long as some looks, and how the click bleeds in changes only with a cable or a microphone. */
const STUDY_EVERY_MS = 10_000;
/** A new answer is soon checked. */
const QUICK_STUDIES = 3;
const QUICK_EVERY_MS = 2000;
/** It takes several studies without bleed in a row to believe that it has gone. */
const GONE_AFTER = 2;
/** A level that differs by more is new, dB. */
const SAME_DB = 0.5;
/** Hits this close to the bleed are the bleed itself. */
const TOGETHER_MS = 0.6;

/** A channel without the click, and its hits. */
export interface Heard {
  samples: Float32Array;
  onsets: Onset[];
}

/** Takes the click out of a live channel: how it bleeds in is studied now and then, and subtracted at every look. */
export class BleedWatch {
  readonly #sampleRate: number;
  #found: FoundBleed | null = null;
  #studiedMs = -Infinity;
  #studies = 0;
  #without = 0;

  constructor(sampleRate: number) {
    this.#sampleRate = sampleRate;
  }

  /** Level of the click on this channel relative to its own, dB; null if it doesn't bleed in. */
  get bleedDb(): number | null {
    return this.#found?.bleed.bleedDb ?? null;
  }

  /** For how long it should have been studied by now, ms; negative if it needn't be yet. */
  overdueMs(nowMs: number): number {
    return nowMs - this.#studiedMs - (this.#studies < QUICK_STUDIES ? QUICK_EVERY_MS : STUDY_EVERY_MS);
  }

  /** The hits on a stretch. `clicks`: those in it, times in samples from its first. */
  listen(samples: Float32Array, clicks: readonly Click[]): Heard {
    return this.#found
      ? this.#ownOf(samples, clicks, this.#found)
      : { samples, onsets: detectOnsetsOf(samples, this.#sampleRate) };
  }

  /** Whether the click bleeds into a stretch. */
  study(samples: Float32Array, clicks: readonly Click[], nowMs: number): void {
    if (clicks.length < LEAST_CLICKS) return;
    this.#studiedMs = nowMs;
    this.#studies++;
    const before = this.bleedDb;
    const found = findClick(samples, clicks, this.#sampleRate);
    if (found && !this.#beginsWith(found, samples, clicks)) {
      this.#found = found;
      this.#without = 0;
    } else if (++this.#without >= GONE_AFTER) this.#found = null;
    if (changed(before, this.bleedDb)) this.#studies = 0;
  }

  /** Bleed that comes late, together with the hits, is the hits themselves. */
  #beginsWith(found: FoundBleed, samples: Float32Array, clicks: readonly Click[]): boolean {
    const { delayMs } = found.bleed;
    if (delayMs <= TOGETHER_MS) return false;
    const { onsets } = this.#ownOf(samples, clicks, found);
    const apart = median(onsets, ({ timeMs }) =>
      clicks.reduce((least, { at }) => {
        const lateMs = timeMs - (at / this.#sampleRate) * 1000 - delayMs;
        return abs(lateMs) < abs(least) ? lateMs : least;
      }, Infinity),
    );
    return apart !== undefined && abs(apart) < TOGETHER_MS;
  }

  #ownOf(samples: Float32Array, clicks: readonly Click[], found: FoundBleed): Heard {
    const without = withoutClick(samples, clicks, found);
    const onsets = detectOnsetsOf(without, this.#sampleRate, found.bleed.leftover);
    return { samples: without, onsets: onsets.filter((onset) => isOwn(onset, found.bleed)) };
  }
}

function changed(beforeDb: number | null, db: number | null): boolean {
  return beforeDb === null || db === null ? beforeDb !== db : abs(db - beforeDb) > SAME_DB;
}
