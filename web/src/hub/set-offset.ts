import { changeRig } from './session';

/** Sets one follower's offset; minus is earlier. */
export function setOffset(gearId: string, offsetMs: number): Promise<void> {
  return changeRig((rig) => ({
    ...rig,
    gear: rig.gear.map((one) => (one.id === gearId ? { ...one, offsetMs } : one)),
  }));
}
