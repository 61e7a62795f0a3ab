/** The five views in working order. */
export const VIEWS = [
  { path: '/rig', name: 'Rig' },
  { path: '/run', name: 'Run' },
  { path: '/bench', name: 'Bench' },
  { path: '/align', name: 'Align' },
  { path: '/logbook', name: 'Logbook' },
] as const;

/** Reached from Rig. */
export const SET_UP = { path: '/set-up', name: 'Set-up' } as const;
