import { useSession } from './session';

/** During playback, keep the screen on where supported, and ask before leaving the page. */
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
}
