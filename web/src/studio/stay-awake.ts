import { wiresOf } from './feeds';
import { partingMessages } from '@metronomo/core';
import { kindOf } from '../ports/port-ids';
import { ports } from '../ports/port-registry';
import { useSession } from './session';
import { hub } from './workers';

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
    const { rig, snapshot } = useSession.getState();
    if (!rig || !isRolling()) return;
    const atMs = performance.now();
    for (const { portId, settings } of wiresOf(rig).wires) {
      const messages = partingMessages(settings, snapshot.songMs);
      if (kindOf(portId) === 'network') void hub.sendTest(messages.map((bytes) => ({ portId, bytes, atMs })));
      else ports.stopNow(portId, messages);
    }
  });
}
