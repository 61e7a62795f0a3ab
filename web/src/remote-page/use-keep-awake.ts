import { useEffect, useState } from 'react';

/** Keeps the screen on. Browsers allow it on secure pages only, and forget it when the page is hidden. */
export function useKeepAwake(): { possible: boolean; on: boolean; toggle: () => void } {
  const possible = 'wakeLock' in navigator;
  const [on, setOn] = useState(false);
  useEffect(() => {
    if (!on || !possible) return undefined;
    let lock: WakeLockSentinel | null = null;
    let ended = false;
    const take = async () => {
      if (document.visibilityState !== 'visible') return;
      const taken = await navigator.wakeLock.request('screen').catch(() => null);
      if (ended) void taken?.release();
      else lock = taken;
    };
    const again = () => void take();
    void take();
    document.addEventListener('visibilitychange', again);
    return () => {
      ended = true;
      document.removeEventListener('visibilitychange', again);
      void lock?.release();
    };
  }, [on, possible]);
  return { possible, on, toggle: () => setOn(!on) };
}
