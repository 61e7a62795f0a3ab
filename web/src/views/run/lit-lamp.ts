import { BEATS_PER_BAR } from '@metronomo/core';

/** A lamp stays lit until this share of the next beat. */
const LIT_SHARE = 0.6;

/** The quarter of the bar that a hit belongs to; null once it is too long ago. */
export function litLamp(hitMs: number | null, hub: { beat: number; bpm: number }, nowMs: number): number | null {
  if (hitMs === null) return null;
  const beatsAgo = ((nowMs - hitMs) * hub.bpm) / 60_000;
  if (beatsAgo > 1 + LIT_SHARE) return null;
  const beat = Math.round(hub.beat - beatsAgo);
  return ((beat % BEATS_PER_BAR) + BEATS_PER_BAR) % BEATS_PER_BAR;
}
