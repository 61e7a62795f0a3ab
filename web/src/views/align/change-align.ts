import { changeRig } from '../../studio/rig';
import type { AlignSettings } from '../../store/records';

/** Changes the alignment settings; stored with the rig, undoable. */
export function changeAlign(change: Partial<AlignSettings>): Promise<void> {
  return changeRig((rig) => ({ ...rig, align: { ...rig.align, ...change } }));
}

/** Locks or unlocks a device's offset. */
export function lock(gearId: string, locked: boolean): Promise<void> {
  return changeRig(({ align, ...rig }) => {
    const others = align.locked.filter((id) => id !== gearId);
    return { ...rig, align: { ...align, locked: locked ? [...others, gearId] : others } };
  });
}
