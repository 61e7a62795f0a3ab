import { withOffset } from '../store/rig-plan';
import { changeRig } from './rig';

/** Sets the offset of one follower, and of everyone that moves with it; minus is earlier. */
export function setOffset(gearId: string, offsetMs: number): Promise<void> {
  return changeRig((rig) => withOffset(rig, gearId, offsetMs));
}
