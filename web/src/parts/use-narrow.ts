import { useSyncExternalStore } from 'react';

/** Below the width of a tablet held upright, as in the style sheet. */
const narrow = matchMedia('(width < 48rem)');

const listen = (onChange: () => void) => {
  narrow.addEventListener('change', onChange);
  return () => narrow.removeEventListener('change', onChange);
};

/** Whether the window is too narrow for tables with all their columns. */
export function useNarrow(): boolean {
  return useSyncExternalStore(listen, () => narrow.matches);
}
