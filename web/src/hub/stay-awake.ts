import { useSession } from './session';

/** While the hub rolls, the screen stays on where the browser can do that, and the page is not left by a slip. */
export function stayAwake(): void {
  let lock: WakeLockSentinel | null = null;
  const isRolling = () => useSession.getState().snapshot.state !== 'stopped';
  const hold = async () => {
    if (lock || !isRolling() || document.visibilityState !== 'visible') return;
    try {
      lock = (await navigator.wakeLock?.request('screen')) ?? null;
      // The browser lets go by itself when the page is hidden; it is asked for again when it is seen.
      lock?.addEventListener('release', () => (lock = null));
    } catch {
      lock = null; // low battery, or not allowed: the clock goes on all the same
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
