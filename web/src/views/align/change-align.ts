import { changeRig } from '../../hub/session';
import type { AlignSettings } from '../../store/records';

/** Another way of aligning from now on; kept with the rig, and undoable. */
export function changeAlign(change: Partial<AlignSettings>): Promise<void> {
  return changeRig((rig) => ({ ...rig, align: { ...rig.align, ...change } }));
}

/** It is left as it is from now on, or no longer. */
export function lock(gearId: string, locked: boolean): Promise<void> {
  return changeRig(({ align, ...rig }) => {
    const others = align.locked.filter((id) => id !== gearId);
    return { ...rig, align: { ...align, locked: locked ? [...others, gearId] : others } };
  });
}
