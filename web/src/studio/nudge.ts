import type { Gear } from '../store/records';
import { setOffset } from './set-offset';
import { command, hub } from './workers';

/** Tempo change while a button is held, as a share. */
export const NUDGE = 0.03;

/** Runs everyone, or one device, faster by a share; minus is slower. */
export function nudge(share: number, gear: Gear | null): void {
  command(gear?.portId ? { kind: 'nudge', share, feedId: gear.portId } : { kind: 'nudge', share });
}

/** Ends it. A nudge of one follower has moved its offset in the hub: that is stored in the rig. */
export function endNudge(gear: Gear | null): void {
  nudge(0, gear);
  if (gear?.portId) void keepOffset(gear.id, gear.portId);
}

async function keepOffset(gearId: string, feedId: string): Promise<void> {
  const offsetMs = await hub.offsetOf(feedId);
  if (offsetMs === null) return;
  await setOffset(gearId, Number(offsetMs.toFixed(3)));
}
