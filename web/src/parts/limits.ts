import { create } from 'zustand';
import { persist } from 'zustand/middleware';

/** Limits of the verdicts, ms. */
export interface Limits {
  tightMs: number;
  playingMs: number;
  audibleMs: number;
  cuesMs: number;
}

/**
 * Common practice, no source: two clicks within 1 to 2 ms sound like one, at 10 ms most players hear a flam, at 20 ms
 * everyone does; chasing within about 50 ms is enough for a lighting cue.
 */
export const COMMON_LIMITS: Limits = { tightMs: 2, playingMs: 10, audibleMs: 20, cuesMs: 50 };

/** The current limits, stored in this browser. */
export const useLimits = create(persist((): Limits => COMMON_LIMITS, { name: 'metronomo.limits' }));

/** Applies new limits if they ascend; false if they don't. */
export function setLimits(limits: Limits): boolean {
  const { tightMs, playingMs, audibleMs, cuesMs } = limits;
  const inOrder = 0 < tightMs && tightMs < playingMs && playingMs < audibleMs && audibleMs <= cuesMs && cuesMs <= 1000;
  if (inOrder) useLimits.setState(limits);
  return inOrder;
}
