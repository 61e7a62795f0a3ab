import type { Response } from '../follow/clock-follower';
import type { GridPosition } from '../transport/timeline';
import type { Lead } from './source';

/** Beyond this phase error the grid jumps to the leader; below it, it slews. */
const JUMP_MS = 250;
/** Time constant of the phase correction (error decays to 1/e). */
const SETTLE_MS: Readonly<Record<Response, number>> = { steady: 1000, quick: 250 };
/** Interval between corrections. */
export const STEER_EVERY_MS: Readonly<Record<Response, number>> = { steady: 100, quick: 40 };
const MAX_CORRECTION = 0.1;
const MS_PER_MINUTE = 60_000;

/** What the grid has to do to stay with a rolling leader. */
export type Steering = { kind: 'go'; factor: number } | { kind: 'begin anew' };

/** How far the leader is ahead of the grid at the same moment, in ms of the leader. */
export function leadMs(lead: Lead, grid: GridPosition, language: 'clock' | 'timecode'): number {
  return language === 'clock'
    ? ((lead.beat - grid.beat) * MS_PER_MINUTE) / lead.bpm
    : (lead.songMs - grid.songMs) / Math.abs(lead.speed || 1);
}

/** Temporary speed factor relative to the leader. Slews; jumps only past JUMP_MS. */
export function steer(aheadMs: number, response: Response): Steering {
  if (Math.abs(aheadMs) > JUMP_MS) return { kind: 'begin anew' };
  const correction = Math.min(MAX_CORRECTION, Math.max(-MAX_CORRECTION, aheadMs / SETTLE_MS[response]));
  return { kind: 'go', factor: 1 + correction };
}
