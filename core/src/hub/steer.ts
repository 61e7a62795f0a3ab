import type { Response } from '../follow/clock-follower';
import type { GridPosition } from '../transport/timeline';
import type { Lead } from './source';

/** Further than this off, the grid begins anew where the leader is; less is made good by going faster or slower. */
const BEGIN_ANEW_MS = 250;
/** In about this time a difference has shrunk to a third. */
const SETTLE_MS: Readonly<Record<Response, number>> = { steady: 1000, quick: 250 };
/** The grid is set anew so often. */
export const STEER_EVERY_MS: Readonly<Record<Response, number>> = { steady: 100, quick: 40 };
const MOST_CORRECTION = 0.1;
const MS_PER_MINUTE = 60_000;

/** What the grid has to do so that it stays with a leader that rolls. */
export type Steering = { kind: 'go'; factor: number } | { kind: 'begin anew' };

/** How far the leader is ahead of the grid, both at one time, in ms of the leader. */
export function leadMs(lead: Lead, grid: GridPosition, language: 'clock' | 'timecode'): number {
  return language === 'clock'
    ? ((lead.beat - grid.beat) * MS_PER_MINUTE) / lead.bpm
    : (lead.songMs - grid.songMs) / Math.abs(lead.speed || 1);
}

/** By how much faster than the leader the grid goes for a while; it never jumps unless it is far off. */
export function steer(aheadMs: number, response: Response): Steering {
  if (Math.abs(aheadMs) > BEGIN_ANEW_MS) return { kind: 'begin anew' };
  const correction = Math.min(MOST_CORRECTION, Math.max(-MOST_CORRECTION, aheadMs / SETTLE_MS[response]));
  return { kind: 'go', factor: 1 + correction };
}
