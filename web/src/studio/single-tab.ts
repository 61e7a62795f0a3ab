const LOCK = 'metronomo.runs';
/** Grace period: after a reload, the previous instance may still hold the lock. */
const PATIENCE_MS = 2000;

/**
 * Only one tab may send sync. Resolves to true if this one may run, holding the lock until it is closed; `onTaken` is
 * called if another tab takes over. With `take` it takes over from the other.
 */
export function runInOneTab(onTaken: () => void, { take = false } = {}): Promise<boolean> {
  // No Web Locks API: assume this is the only tab.
  if (!('locks' in navigator)) return Promise.resolve(true);
  return new Promise((resolve) => {
    let mine = false;
    const options = take ? { steal: true } : { signal: AbortSignal.timeout(PATIENCE_MS) };
    navigator.locks
      .request(LOCK, options, () => {
        mine = true;
        resolve(true);
        return new Promise(() => undefined); // Held for the lifetime of the page.
      })
      .catch(() => {
        if (mine) onTaken();
        else resolve(false);
      });
  });
}
