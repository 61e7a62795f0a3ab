const LOCK = 'metronomo.runs';
/** A page that is loaded anew may ask before its own past has let go. */
const PATIENCE_MS = 2000;

/**
 * Two tabs must not both send time. Resolves to true when this one may run, and then holds that until it is closed;
 * `onTaken` is told when another tab takes over. With `take` it takes over from the other.
 */
export function runInOneTab(onTaken: () => void, { take = false } = {}): Promise<boolean> {
  // A browser without locks has to be trusted.
  if (!('locks' in navigator)) return Promise.resolve(true);
  return new Promise((resolve) => {
    let mine = false;
    const options = take ? { steal: true } : { signal: AbortSignal.timeout(PATIENCE_MS) };
    navigator.locks
      .request(LOCK, options, () => {
        mine = true;
        resolve(true);
        return new Promise(() => undefined); // for as long as the page is there
      })
      .catch(() => {
        if (mine) onTaken();
        else resolve(false);
      });
  });
}
