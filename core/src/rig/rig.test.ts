import { NO_EVIDENCE, lineCheck, type Evidence, type Seen } from './line-check';
import { lineTraffic } from './line-traffic';
import { obstacleToCable, plugIn, type Cable, type NoteRoute, type RigGear, type RigPlan, type Socket } from './rig';
import { fromShelf, hubGear, SHELF } from './shelf';
import { ranks, syncPaths } from './sync-paths';
import { compareLeaders } from './compare-leaders';

const port = (label: string, direction: 'in' | 'out', link: Socket['link'] = 'din'): Socket => ({
  id: label,
  label,
  direction,
  link,
  portId: `port ${label}`,
});
const HUB = hubGear([
  port('DIN 1', 'out'),
  port('DIN 2', 'out'),
  port('DIN in', 'in'),
  port('USB', 'out', 'usb'),
  port('USB back', 'in', 'usb'),
]);
let cables = 0;
const cable = (from: string, to: string, notesPerSecond = 0): Cable => {
  const [fromGear = '', fromSocket = ''] = from.split('/');
  const [toGear = '', toSocket = ''] = to.split('/');
  return {
    id: `c${++cables}`,
    from: { gearId: fromGear, socketId: fromSocket },
    to: { gearId: toGear, socketId: toSocket },
    notesPerSecond,
  };
};
const box = (id: string, change: Partial<RigGear> = {}): RigGear => ({
  ...fromShelf('beatBox', id),
  clockWhileStopped: true,
  ...change,
});
const rig = (gear: RigGear[], wires: Cable[], leaders = ['hub']): RigPlan => ({
  gear: [HUB, ...gear],
  cables: wires,
  leaders,
});

/** One device on the hub's first socket, without any problem. */
const sound = (change: Partial<RigGear> = {}, more: RigGear[] = [], wires: Cable[] = []) =>
  rig([box('a', change), ...more], [cable('hub/DIN 1', 'a/in'), ...wires]);
const set = (change: Partial<RigGear['set']>): Pick<RigGear, 'set'> => ({ set: { ...box('x').set, ...change } });
const able = (change: Partial<RigGear['able']>): Pick<RigGear, 'able'> => ({ able: { ...box('x').able, ...change } });
const seen = (plan: RigPlan, evidence: Partial<Evidence> = {}) =>
  lineCheck(plan, { ...NO_EVIDENCE, ...evidence }).map((one) => one.seen);
const rules = (plan: RigPlan, evidence: Partial<Evidence> = {}) => seen(plan, evidence).map(({ rule }) => rule);

test('a correctly configured device on the hub has no findings', () => expect(rules(sound())).toEqual([]));

const chain = (length: number) => {
  const boxes = Array.from({ length }, (_, i) => box(`b${i}`));
  const wires = boxes.slice(1).map((_, i) => cable(`b${i}/thru`, `b${i + 1}/in`));
  return rig(boxes, [{ ...cable('hub/DIN 1', 'b0/in'), id: chainCable }, ...wires]);
};
const chainCable = 'first of a chain';
const route = (from: string, to: string): NoteRoute => ({
  id: 'r',
  from,
  to,
  fromChannel: null,
  toChannel: null,
  passes: { notes: true, controllers: true, programs: true, bends: true },
});
const internal = box('i', set({ clockSource: 'internal', clockOut: true }));
const heard: Partial<RigGear> = { audioOuts: [{ label: 'Main', input: 2 }] };
const synths = (channels: number[][]) => {
  const all = channels.map((one, i) => ({
    ...fromShelf('synthesizer', `s${i}`),
    syncsTo: 'nothing' as const,
    set: { ...box('x').set, channels: one },
  }));
  return rig(all, [cable('hub/DIN 1', 's0/in', 4), cable('s0/thru', 's1/in', 4)]);
};
const programs = (destinations: number | null) => {
  const program = {
    ...fromShelf('audioProgram', 'p'),
    sockets: [port('L1', 'out', 'loopback')],
    ...set({ clockSource: 'internal', clockOut: true }),
  };
  const able = { ...program.able, destinations };
  const taker = (id: string) => box(id, { sockets: [port('L', 'in', 'loopback')] });
  return rig([{ ...program, able }, taker('x'), taker('y')], [cable('p/L1', 'x/L'), cable('p/L1', 'y/L')], ['p']);
};
/** A device with an offset of its own shares a wire with one whose offset is set here. */
const besideHubOffset = (where: 'hub' | 'own') => {
  const own = { where: 'own', own: -12, unit: 'ms', plusIs: 'later', step: 1 } as const;
  const devices = [
    box('a', { offsetMs: -5, offset: own }),
    box('b', { offsetMs: -5, offset: { ...own, where, own: 0 } }),
  ];
  return rig(devices, [cable('hub/DIN 1', 'a/in'), cable('a/thru', 'b/in')]);
};
const twoInto = (shared: boolean) => {
  const loop = (label: string, direction: 'in' | 'out') => ({ ...port(label, direction, 'loopback'), shared });
  const program = (id: string) => ({ ...fromShelf('audioProgram', id), sockets: [loop('L', 'out')] });
  return rig(
    [program('p'), program('q'), box('x', { sockets: [loop('L', 'in')] })],
    [cable('p/L', 'x/L'), cable('q/L', 'x/L')],
  );
};
const tape = (change: Partial<RigGear>) =>
  rig([{ ...fromShelf('recorder', 't'), ...change }], [cable('hub/DIN 1', 't/in')]);
const listening = (arrives: 'nothing' | 'clock' | 'timecode', waits: 'clock' | 'timecode'): Partial<Evidence> => ({
  receiving: new Map([['port DIN in', arrives]]),
  expects: new Map([['port DIN in', waits]]),
});
const leading = (clockOut: boolean) => box('a', set({ clockSource: 'internal', clockOut }));
const ledByBox = rig([leading(true)], [cable('a/out', 'hub/DIN in')], ['a']);

type Case = [Seen['rule'], RigPlan, Partial<Evidence>, RigPlan, Partial<Evidence>];
test.each<Case>([
  ['nobody leads', { ...sound(), leaders: ['gone'] }, {}, sound(), {}],
  [
    'two lead',
    rig(
      [box('a', { sockets: [...box('x').sockets, port('USB in', 'in', 'usb')] }), { ...internal, syncsTo: 'nothing' }],
      [cable('hub/USB', 'a/USB in'), cable('i/out', 'a/in')],
    ),
    {},
    sound({}, [{ ...internal, syncsTo: 'nothing', ...set({ clockSource: 'internal', clockOut: false }) }]),
    {},
  ],
  [
    'loop',
    sound(set({ thru: true }), [], [cable('a/out', 'hub/DIN in')]),
    {},
    sound(set({ thru: false }), [], [cable('a/out', 'hub/DIN in')]),
    {},
  ],
  ['set to internal', sound(set({ clockSource: 'internal' })), {}, sound(set({ clockSource: 'automatic' })), {}],
  ['cannot lead', { ...sound(able({ lead: false })), leaders: ['a'] }, {}, { ...ledByBox }, {}],
  ['does not speak', sound({ syncsTo: 'timecode' }), {}, tape({}), {}],
  [
    'other frame rate',
    tape({ rate: '24', able: { ...fromShelf('recorder', 't').able, timecode: ['25'] } }),
    {},
    tape({ rate: '25' }),
    {},
  ],
  ['waits for the other', ledByBox, listening('timecode', 'clock'), ledByBox, listening('clock', 'clock')],
  ['nothing arrives', rig([box('a')], []), {}, sound(), { connectedPorts: new Set(['port DIN 1']) }],
  [
    'old tempo',
    sound({ clockWhileStopped: false }),
    {},
    sound({ clockWhileStopped: false, ...able({ showsTempo: false }) }),
    {},
  ],
  ['port in use', sound(), { portsInUse: new Set(['port DIN 1']) }, sound(), { portsInUse: new Set(['another']) }],
  ['port in use', twoInto(false), {}, twoInto(true), {}],
  ['too many destinations', programs(1), {}, programs(2), {}],
  ['same channel', synths([[1], [1]]), {}, synths([[1], [2]]), {}],
  ['long chain', chain(5), {}, chain(4), {}],
  [
    'ticks wait',
    rig([box('a')], [cable('hub/DIN 1', 'a/in', 20)]),
    {},
    rig([box('a')], [cable('hub/DIN 1', 'a/in', 1)]),
    {},
  ],
  [
    'offset twice',
    sound({ offsetMs: -12, offset: { where: 'own', own: -12, unit: 'ms', plusIs: 'later', step: 1 } }),
    {},
    sound({ offsetMs: -12 }),
    {},
  ],
  ['offset twice', besideHubOffset('own'), {}, besideHubOffset('hub'), {}],
  [
    'route echoes',
    { ...sound(set({ thru: true }), [], [cable('a/out', 'hub/DIN in')]), routes: [route('DIN in', 'DIN 1')] },
    {},
    { ...sound(set({ thru: true }), [], [cable('a/out', 'hub/DIN in')]), routes: [route('DIN in', 'DIN 2')] },
    {},
  ],
  ['no answer', chain(1), { unanswered: new Set([chainCable]) }, sound(), { unanswered: new Set(['another']) }],
  [
    'start again',
    sound(able({ rearms: true })),
    { reconnected: new Set(['a']) },
    sound(),
    { reconnected: new Set(['a']) },
  ],
  ['not measured', sound(heard), {}, sound(heard), { measured: new Map([['a', 'holds']]) }],
  [
    'stale',
    sound(heard),
    { measured: new Map([['a', { staleBecause: 'the sample rate' }]]) },
    sound(heard),
    { measured: new Map([['a', 'holds']]) },
  ],
])('%s is found where it applies, and nowhere else', (rule, broken, evidence, fine, fineEvidence) => {
  expect(rules(broken, evidence)).toContain(rule);
  expect(rules(fine, fineEvidence)).not.toContain(rule);
});

test.each<[string, RigPlan, Partial<Evidence>]>([
  ['no cable', rig([box('a')], []), {}],
  ['port gone', sound(), { connectedPorts: new Set() }],
  [
    'no port',
    {
      ...sound(),
      gear: sound().gear.map((one) =>
        one.id === 'hub' ? { ...one, sockets: one.sockets.map((socket) => ({ ...socket, portId: null })) } : one,
      ),
    },
    {},
  ],
  ['clock in is off', sound(set({ clockIn: false })), {}],
  [
    'clock out is off',
    rig([box('m', set({ clockSource: 'internal' })), box('a')], [cable('m/out', 'a/in')], ['m']),
    {},
  ],
  ['no cable', rig([leading(true), box('b')], [cable('hub/DIN 1', 'b/in')], ['a']), {}],
  [
    'clock out is off',
    rig([leading(false), box('b')], [cable('hub/DIN 1', 'b/in'), cable('a/out', 'hub/DIN in')], ['a']),
    {},
  ],
  ['silent', ledByBox, listening('nothing', 'clock')],
])('no sync: %s', (cause, plan, evidence) =>
  expect(seen(plan, evidence)).toContainEqual({ rule: 'nothing arrives', cause }),
);

test('findings are sorted worst first and keep their keys', () => {
  const plan = sound({ clockWhileStopped: false, ...heard, ...set({ clockSource: 'internal' }) });
  const found = lineCheck(plan);
  expect(found.map(({ severity }) => severity)).toEqual(['wrong', 'attention', 'unproved']);
  expect(lineCheck(plan).map(({ key }) => key)).toEqual(found.map(({ key }) => key));
  expect(new Set(found.map(({ key }) => key)).size).toBe(3);
});

test('DIN traffic is plain arithmetic: ten three-byte notes are 9.6 ms', () => {
  const plan = rig([box('a')], [cable('hub/DIN 1', 'a/in', 10)]);
  const traffic = lineTraffic(plan, plan.cables[0]!, 120)!;
  expect(traffic.worstWaitMs).toBeCloseTo(9.6, 9);
  expect(traffic.bytesPerSecond).toBeCloseTo(48 + 30, 9);
  expect(traffic.load).toBeCloseTo(78 / 3125, 9);
});

describe('cables', () => {
  const plan = sound({}, [box('b')]);
  const between = (from: string, to: string) => obstacleToCable(plan, cable(from, to));
  test.each([
    ['from an in', between('a/in', 'b/in'), /Start the cable at an out/],
    ['out to out', between('a/out', 'b/out'), /OUT is an out. End the cable at an in/],
    ['to itself', between('a/out', 'a/in'), /connected to itself/],
    ['into a taken socket', between('b/out', 'a/in'), /already has a cable.*merge/],
    ['out of a taken socket', between('hub/DIN 1', 'b/in'), /already has a cable.*split/],
    ['of another kind', between('hub/USB', 'b/in'), /USB.*5-pin/],
    ['to nowhere', between('a/out', 'b/none'), /isn’t connected at both ends/],
  ])('%s is rejected with a message', (_, problem, words) => expect(problem).toMatch(words));

  test('a valid cable is connected, and the previous rig is unchanged', () => {
    const more = plugIn(plan, cable('a/thru', 'b/in'));
    expect(more.cables).toHaveLength(2);
    expect(plan.cables).toHaveLength(1);
    expect(() => plugIn(more, cable('a/thru', 'b/in'))).toThrow('already has a cable');
    expect(syncPaths(more, 'b')).toMatchObject([{ sourceId: 'hub', thrus: 1 }]);
    expect([...ranks(more)]).toEqual([
      ['hub', 0],
      ['a', 1],
      ['b', 2],
    ]);
  });
});

describe('leaders', () => {
  const recorder = fromShelf('recorder', 't');
  const plan = rig(
    [box('a'), recorder, fromShelf('keyboard', 'k')],
    [cable('hub/DIN 1', 'a/in'), cable('hub/DIN 2', 't/in'), cable('k/usb-out', 'hub/USB back')],
  );

  test('the device with live tempo is recommended if everyone can follow it through the hub', () => {
    const [first, second] = compareLeaders(plan);
    expect(first).toMatchObject({ gearId: 'k', throughHub: true, leftOut: [], reaches: ['a', 't'] });
    expect(second).toMatchObject({ gearId: 'hub', leftOut: [] });
  });

  test('without cables, the hub is recommended', () => {
    const [first] = compareLeaders({ ...plan, cables: [] });
    expect(first).toMatchObject({ gearId: 'hub', reaches: [] });
  });

  test('without its cable to the hub a leader reaches nobody, and followers that need timecode are listed', () => {
    const alone = { ...plan, cables: plan.cables.slice(0, 2) };
    const [first, ...others] = compareLeaders(alone);
    expect(first!.gearId).toBe('hub');
    expect(others.find(({ gearId }) => gearId === 'k')).toMatchObject({ leftOut: ['a', 't'], needTimecode: ['t'] });
  });
});

test('every gear type can be added, and nothing else', () => {
  for (const { kind } of SHELF) expect(fromShelf(kind, 'x')).toMatchObject({ kind, id: 'x' });
  expect(() => fromShelf('hub', 'x')).toThrow('Unknown gear type');
});
