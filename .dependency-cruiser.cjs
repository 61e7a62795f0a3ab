/** Which folder may import which. Inside core, dependencies run one way; no cycles anywhere. */
const below = {
  midi: [],
  timecode: ['midi'],
  tempo: [],
  transport: ['tempo'],
  feed: ['midi', 'tempo', 'timecode', 'transport'],
  follow: ['midi', 'tempo', 'timecode', 'maths'],
  maths: [],
  measure: ['midi', 'timecode', 'follow', 'maths'],
  align: ['midi', 'timecode'],
  hub: ['midi', 'tempo', 'timecode', 'transport', 'feed', 'follow'],
  standin: ['midi', 'tempo', 'timecode', 'feed', 'follow', 'hub'],
  rig: ['midi', 'feed', 'timecode'],
  network: ['midi', 'maths'],
  files: ['midi', 'tempo', 'timecode', 'measure', 'rig'],
};

const rooms = Object.entries(below).map(([room, allowed]) => ({
  name: `core-${room}`,
  comment: `core/src/${room} may only use: ${allowed.join(', ') || 'nothing'}`,
  severity: 'error',
  from: { path: `^core/src/${room}/` },
  to: { path: '^core/src/', pathNot: `^core/src/(${[room, ...allowed].join('|')})/` },
}));

module.exports = {
  forbidden: [
    { name: 'no-circles', severity: 'error', from: {}, to: { circular: true } },
    { name: 'core-stands-alone', severity: 'error', from: { path: '^core/' }, to: { path: '^(server|web)/' } },
    {
      name: 'core-is-used-by-its-door',
      severity: 'error',
      from: { path: '^(server|web)/' },
      to: { path: '^core/', pathNot: '^core/src/index\\.ts$' },
    },
    { name: 'server-and-web-apart', severity: 'error', from: { path: '^server/' }, to: { path: '^web/' } },
    { name: 'web-and-server-apart', severity: 'error', from: { path: '^web/' }, to: { path: '^server/' } },
    {
      name: 'web-flows-are-pure',
      comment: 'web/src/flows holds state machines only: no storage, workers, sessions or views',
      severity: 'error',
      from: { path: '^web/src/flows/' },
      to: { pathNot: '^(web/src/flows/|node_modules/xstate/)' },
    },
    {
      name: 'web-folders-one-way',
      comment: 'no two folders that import each other',
      severity: 'error',
      scope: 'folder',
      from: { path: '^web/src/' },
      to: { circular: true },
    },
    ...rooms,
  ],
  options: {
    // Tests may look into every room.
    exclude: { path: '\\.test\\.tsx?$' },
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.base.json' },
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['import', 'types', 'default'] },
  },
};
