import { create } from 'zustand';
import { persist } from 'zustand/middleware';

/** From where on something is called what, ms. */
export interface Limits {
  tightMs: number;
  playingMs: number;
  audibleMs: number;
  cuesMs: number;
}

/**
 * Common practice, no source: two clicks within 1 to 2 ms are heard as one, by 10 ms most players hear a flam, by 20 ms anybody
 * does; what chases within some 50 ms does for a lighting cue.
 */
export const COMMON_LIMITS: Limits = { tightMs: 2, playingMs: 10, audibleMs: 20, cuesMs: 50 };

/** The limits in use; kept in this browser. */
export const useLimits = create(persist((): Limits => COMMON_LIMITS, { name: 'metronomo.limits' }));

/** Takes new limits over where they rise from one to the next; false where they do not. */
export function setLimits(limits: Limits): boolean {
  const { tightMs, playingMs, audibleMs, cuesMs } = limits;
  const inOrder = 0 < tightMs && tightMs < playingMs && playingMs < audibleMs && audibleMs <= cuesMs && cuesMs <= 1000;
  if (inOrder) useLimits.setState(limits);
  return inOrder;
}
