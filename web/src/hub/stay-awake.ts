import { wiresOf } from './feeds';
import { stopMidiPort } from './midi-ports';
import { useSession } from './session';

/** During playback, keep the screen on where supported, ask before leaving the page, and stop everyone if it closes. */
export function stayAwake(): void {
  let lock: WakeLockSentinel | null = null;
  const isRolling = () => useSession.getState().snapshot.state !== 'stopped';
  const hold = async () => {
    if (lock || !isRolling() || document.visibilityState !== 'visible') return;
    try {
      lock = (await navigator.wakeLock?.request('screen')) ?? null;
      // The browser releases the lock when the page is hidden; request it again when visible.
      lock?.addEventListener('release', () => (lock = null));
    } catch {
      lock = null; // Low battery, or not permitted: playback continues anyway.
    }
  };
  useSession.subscribe(({ snapshot }, before) => {
    if (snapshot.state === before.snapshot.state) return;
    if (isRolling()) void hold();
    else void lock?.release();
  });
  document.addEventListener('visibilitychange', () => void hold());
  window.addEventListener('beforeunload', (event) => {
    if (isRolling()) event.preventDefault();
  });
  // A page that closes can't wait until the last stop is due: the best left is to stop everyone at once.
  window.addEventListener('pagehide', () => {
    const { rig } = useSession.getState();
    if (!rig || !isRolling()) return;
    for (const { portId, settings } of wiresOf(rig).wires) if (settings.sends.transport) stopMidiPort(portId);
  });
}
