import { command } from './workers';
import { useSession } from './session';
import { showToast } from '../toasts/toast-store';
import { hasOwnTransport } from './transport';

/** Moves the song position. While another device leads and plays, only that device can. */
export function locate(beat: number): void {
  const { snapshot, rig } = useSession.getState();
  if (snapshot.state === 'stopped' || hasOwnTransport(snapshot, rig)) {
    command({ kind: 'locate', beat });
    return;
  }
  const name = rig?.gear.find(({ id }) => id === snapshot.leader)?.name ?? 'Another device';
  showToast(`${name} is the leader. Change the position on the device; the hub follows it.`);
}
