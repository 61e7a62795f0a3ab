const KEY = 'metronomo.sheet';

export type SheetChoice = 'system' | 'paper' | 'night';

export function chosenSheet(): SheetChoice {
  const stored = localStorage.getItem(KEY);
  return stored === 'paper' || stored === 'night' ? stored : 'system';
}

/** Applies the theme, and follows the system's setting when it changes. */
export function applySheet(choice: SheetChoice = chosenSheet()): void {
  localStorage.setItem(KEY, choice);
  const dark = matchMedia('(prefers-color-scheme: dark)');
  const show = () => {
    const night = chosenSheet() === 'night' || (chosenSheet() === 'system' && dark.matches);
    document.documentElement.dataset['sheet'] = night ? 'night' : 'paper';
  };
  dark.onchange = show;
  show();
}
