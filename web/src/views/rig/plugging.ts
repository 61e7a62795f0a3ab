import { HUB_ID, RigError, socketOf, type SocketRef } from '@metronomo/core';
import { create } from 'zustand';
import type { Rig } from '../../store/records';
import { connect, endsOf, fittingSockets, planOf } from '../../store/rig-plan';
import { changeRig } from '../../studio/rig';
import { useSession } from '../../studio/session';
import { showToast } from '../../toasts/toast-store';
import { count } from '../../words/numbers';

/** The cable that is being plugged in by keyboard: its first end, and where the other one fits. */
export const usePlugging = create<{ from: SocketRef | null; fits: ReadonlySet<string>; words: string }>(() => ({
  from: null,
  fits: new Set(),
  words: '',
}));

export const socketKey = ({ gearId, socketId }: SocketRef): string => `${gearId}/${socketId}`;

/** Plugs in one end. False if the other end fits nowhere, which is said. */
export function beginCable(from: SocketRef): boolean {
  const { rig } = useSession.getState();
  if (!rig) return false;
  const fits = fittingSockets(rig, from);
  const words = socketWords(rig, from);
  if (fits.length === 0) {
    showToast(`No free socket fits ${words}.`);
    return false;
  }
  usePlugging.setState({
    from,
    fits: new Set(fits.map(socketKey)),
    words: `Cable at ${words}: ${count(fits.length, 'socket')} ${fits.length === 1 ? 'fits' : 'fit'}. Choose with the arrow keys, then press Enter. Escape cancels.`,
  });
  return true;
}

export function cancelCable(): void {
  usePlugging.setState({ from: null, fits: new Set(), words: '' });
}

export async function endCable(to: SocketRef): Promise<void> {
  const { from } = usePlugging.getState();
  cancelCable();
  const { rig } = useSession.getState();
  if (!from || !rig) return;
  const ends = endsOf(rig, from, to);
  await plugIn(ends.from, ends.to);
}

/** A new cable; says why if it can’t be plugged in. */
export async function plugIn(from: SocketRef, to: SocketRef): Promise<void> {
  try {
    await changeRig((rig) => connect(rig, from, to));
  } catch (error) {
    if (!(error instanceof RigError)) throw error;
    showToast(error.message);
  }
}

function socketWords(rig: Rig, ref: SocketRef): string {
  const name = ref.gearId === HUB_ID ? 'Hub' : rig.gear.find(({ id }) => id === ref.gearId)?.name;
  return `${name ?? 'device'}, ${socketOf(planOf(rig), ref)?.label ?? 'socket'}`;
}
