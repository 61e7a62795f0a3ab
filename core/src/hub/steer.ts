import type { Response } from '../follow/clock-follower';
import type { GridPosition } from '../transport/timeline';
import type { Lead } from './source';

/** Beyond this phase error the grid jumps to the leader; below it, it slews. */
const JUMP_MS = 250;
/** Time constant of the phase correction (error decays to 1/e): of an error that may be noise, and of a larger one. */
const SETTLE_MS: Readonly<Record<Response, { near: number; far: number }>> = {
  steady: { near: 1000, far: 200 },
  quick: { near: 250, far: 100 },
};
/** Beyond the noise of a steady clock: its tempo has changed. */
const FAR_MS = 0.5;
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
  const { near, far } = SETTLE_MS[response];
  // Continuous at the border, so that it doesn't chatter.
  const beyondMs = Math.sign(aheadMs) * Math.max(0, Math.abs(aheadMs) - FAR_MS);
  const wanted = (aheadMs - beyondMs) / near + beyondMs / far;
  const correction = Math.min(MAX_CORRECTION, Math.max(-MAX_CORRECTION, wanted));
  return { kind: 'go', factor: 1 + correction };
}
