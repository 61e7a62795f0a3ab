/** The five views, in the order of the work. */
export const VIEWS = [
  { path: '/rig', name: 'Rig' },
  { path: '/run', name: 'Run' },
  { path: '/bench', name: 'Bench' },
  { path: '/align', name: 'Align' },
  { path: '/logbook', name: 'Logbook' },
] as const;
