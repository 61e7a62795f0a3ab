import { changeRig } from './session';

/** Moves one follower; minus is earlier. */
export function setOffset(gearId: string, offsetMs: number): Promise<void> {
  return changeRig((rig) => ({
    ...rig,
    gear: rig.gear.map((one) => (one.id === gearId ? { ...one, offsetMs } : one)),
  }));
}
