import type { MeterMap } from '@metronomo/core';

/** A lamp stays lit until this share of the next beat. */
const LIT_SHARE = 0.6;

/** The beat of the bar that a hit belongs to, from 0; null once it is too long ago. */
export function litLamp(
  hitMs: number | null,
  hub: { beat: number; bpm: number },
  nowMs: number,
  meter: MeterMap,
): number | null {
  if (hitMs === null) return null;
  const quartersAgo = ((nowMs - hitMs) * hub.bpm) / 60_000;
  const quarters = 4 / meter.meterAt(hub.beat).beatUnit;
  if (quartersAgo > (1 + LIT_SHARE) * quarters) return null;
  const hit = Math.round((hub.beat - quartersAgo) / quarters) * quarters;
  return meter.positionAt(hit).beat - 1;
}
