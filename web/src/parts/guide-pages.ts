/** The pages of the guide, in the order to read them; `path`: of the view they are about. */
export const GUIDE_PAGES = [
  { id: 'set-up', title: 'My drum machine on the beat', path: '/set-up' },
  { id: 'rig', title: 'Connect your gear', path: '/rig' },
  { id: 'run', title: 'Play and watch', path: '/run' },
  { id: 'bench', title: 'Measure', path: '/bench' },
  { id: 'align', title: 'Bring into time', path: '/align' },
  { id: 'logbook', title: 'Look back', path: '/logbook' },
  { id: 'timecode', title: 'Timecode to a recorder', path: null },
  { id: 'leader', title: 'Something else leads', path: null },
  { id: 'recording', title: 'Measure without MIDI', path: null },
] as const;

export type GuidePageId = (typeof GUIDE_PAGES)[number]['id'];
