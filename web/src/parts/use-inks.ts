import { useMemo, useSyncExternalStore } from 'react';

/** The theme's colors, for code that can't read CSS variables; updates with the theme. */
export function useInks(): { ink: string; soft: string; rule: string; audio: string } {
  const sheet = useSyncExternalStore(watchSheet, () => document.documentElement.dataset['sheet'] ?? '');
  return useMemo(() => {
    void sheet;
    const style = getComputedStyle(document.documentElement);
    const read = (name: string) => style.getPropertyValue(name).trim();
    return { ink: read('--ink'), soft: read('--soft'), rule: read('--rule'), audio: read('--audio') };
  }, [sheet]);
}

function watchSheet(changed: () => void): () => void {
  const observer = new MutationObserver(changed);
  observer.observe(document.documentElement, { attributeFilter: ['data-sheet'] });
  return () => observer.disconnect();
}
