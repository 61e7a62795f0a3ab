import { compareLeaders } from './compare-leaders';
import { lineTests } from './line-test';
import { fromShelf, hubGear } from './shelf';
import { leadersBehind } from './sync-paths';
import { planWires, portsOfGear } from './plan-wires';
import type { Cable, LinkKind, RigGear, RigPlan, Socket } from './rig';

const out = (id: string, link: LinkKind = 'usb', more: Partial<Socket> = {}): Socket => ({
  ...{ id, label: id, direction: 'out', link, portId: `port ${id}` },
  ...more,
});
const HUB_IN: Socket = { id: 'hub in', label: 'in', direction: 'in', link: 'din', portId: 'port in' };
const box = (id: string, change: Partial<RigGear> = {}): RigGear => ({ ...fromShelf('beatBox', id), ...change });
const split = (id: string): RigGear => ({
  ...fromShelf('splitBox', id),
  sockets: [
    { id: 'in', label: 'IN', direction: 'in', link: 'din' },
    ...[1, 2, 3].map((n): Socket => ({ id: `out ${n}`, label: `${n}`, direction: 'out', link: 'din' })),
  ],
});
/** `from/socket to gear`: a cable into the gear's first in. */
const cables = (...drawn: string[]): Cable[] =>
  drawn.map((line) => {
    const [from = '', to = ''] = line.split(' -> ');
    const [gearId = '', socketId = ''] = from.split('/');
    const [toGear = '', toSocket = 'in'] = to.split('/');
    return { id: line, from: { gearId, socketId }, to: { gearId: toGear, socketId: toSocket }, notesPerSecond: 0 };
  });
const rig = (sockets: Socket[], gear: RigGear[], drawn: Cable[], leaders = ['hub']): RigPlan => ({
  gear: [hubGear(sockets), ...gear],
  cables: drawn,
  leaders,
});
const wiresOf = (plan: RigPlan) => planWires(plan).wires.map(({ portId, gearIds }) => [portId, ...gearIds]);

test('two programs on one shared port are one wire, whose bytes leave once', () => {
  const plan = rig([out('1', 'loopback')], [box('a'), box('b')], cables('hub/1 -> a', 'hub/1 -> b'));
  expect(wiresOf(plan)).toEqual([['port 1', 'a', 'b']]);
});

test('a split box, a thru and a soft thru all pass a wire on; the nearest come first', () => {
  const thru = { ...box('d').set, thru: true };
  const plan = rig(
    [out('1', 'din')],
    [split('s'), box('a'), box('b'), box('c'), box('d', { set: thru }), box('e')],
    cables('hub/1 -> s', 's/out 1 -> a', 's/out 2 -> b', 'a/thru -> c', 's/out 3 -> d', 'd/out -> e'),
  );
  expect(wiresOf(plan)).toEqual([['port 1', 'a', 'b', 'd', 'c', 'e']]);
  expect([...portsOfGear(plan).keys()]).toEqual(['s', 'a', 'b', 'd', 'c', 'e']);
});

test('a wire carries what its gear needs together: clock for one, timecode and machine control for another', () => {
  const sends = { clock: true, transport: true, position: false };
  const recorder: RigGear = { ...fromShelf('recorder', 'r'), offsetMs: 7, rate: '25', mmc: true };
  const plan = rig([out('1')], [box('a', { sends, offsetMs: -12 }), recorder], cables('hub/1 -> a', 'a/thru -> r'));
  const [wire] = planWires(plan).wires;
  expect(wire?.settings).toMatchObject({
    sends: { clock: true, transport: true, position: false, timecode: '25', mmc: true },
    offsetMs: -12,
    timecodeOffsetMs: 7,
  });
  expect(wire?.conflicts).toEqual([]);
});

test.each<[string, Partial<RigGear>]>([
  ['clock offset', { offsetMs: 3 }],
  ['clock rate', { clockRate: 2 }],
  ['clock while stopped', { clockWhileStopped: true }],
  ['start and stop', { sends: { clock: true, transport: false, position: false } }],
])('%s: two devices on one wire can’t have their own', (kind, change) => {
  const sends = { clock: true, transport: true, position: false };
  const plan = rig(
    [out('1')],
    [box('a', { sends }), box('b', { sends, ...change })],
    cables('hub/1 -> a', 'hub/1 -> b'),
  );
  expect(planWires(plan).wires[0]?.conflicts).toEqual([{ kind, gearIds: ['b'] }]);
});

test('song position goes to all who want it, unless it puts another one on the wire in the wrong place', () => {
  const able = { ...box('b').able, songPosition: false };
  const sends = { clock: true, transport: true, position: false };
  const plan = (b: Partial<RigGear>) =>
    planWires(rig([out('1')], [box('a'), box('b', { sends, ...b })], cables('hub/1 -> a', 'hub/1 -> b'))).wires[0];
  expect(plan({})).toMatchObject({ settings: { sends: { position: true } }, conflicts: [] });
  expect(plan({ able })).toMatchObject({
    settings: { sends: { position: false } },
    conflicts: [{ kind: 'song position', gearIds: ['b'] }],
  });
});

test('two timecode rates on one wire are a conflict; the first is sent', () => {
  const recorders = ['25', '30'].map((rate, i): RigGear => ({ ...fromShelf('recorder', `r${i}`), rate: rate as '25' }));
  const plan = rig([out('1')], recorders, cables('hub/1 -> r0', 'hub/1 -> r1'));
  const [wire] = planWires(plan).wires;
  expect(wire?.settings.sends.timecode).toBe('25');
  expect(wire?.conflicts).toEqual([{ kind: 'timecode rate', gearIds: ['r1'] }]);
});

test('nothing is sent to the leader, on any path that reaches it, unless its socket says so', () => {
  const gear = [box('a'), box('b'), box('c')];
  const drawn = cables('hub/1 -> a', 'a/thru -> b', 'hub/2 -> c', 'a/out -> hub/hub in');
  expect(planWires(rig([out('1'), out('2'), HUB_IN], gear, drawn, ['a']))).toMatchObject({
    wires: [{ portId: 'port 2', gearIds: ['c'] }],
    unreached: [{ gearId: 'b', reason: 'shared with the leader' }],
  });
  const asked = [out('1', 'usb', { sendsToLeader: true }), out('2'), HUB_IN];
  expect(wiresOf(rig(asked, gear, drawn, ['a']))).toEqual([
    ['port 1', 'b'],
    ['port 2', 'c'],
  ]);
});

test('gear that the leader reaches itself is not unreached', () => {
  const leader = box('a', { set: { ...box('a').set, clockSource: 'internal', clockOut: true } });
  expect(planWires(rig([out('1')], [leader, box('b')], cables('a/out -> b'), ['a']))).toEqual({
    wires: [],
    unreached: [],
  });
});

test('unreached gear is named with the reason', () => {
  const deaf = box('deaf');
  const plan = rig(
    [out('1'), out('2', 'usb', { portId: null })],
    [{ ...deaf, able: { ...deaf.able, follow: false } }, box('alone'), box('unassigned'), box('x'), box('behind x')],
    cables('hub/1 -> deaf', 'hub/2 -> unassigned', 'x/out -> behind x'),
  );
  expect(planWires(plan)).toEqual({
    wires: [],
    unreached: [
      { gearId: 'deaf', reason: 'cannot follow' },
      { gearId: 'alone', reason: 'no cable' },
      { gearId: 'unassigned', reason: 'no port' },
      { gearId: 'x', reason: 'no cable' },
      { gearId: 'behind x', reason: 'no path' },
    ],
  });
});

test('a device on two ports is served by the nearer one; the other gets nothing for it, or it is a conflict', () => {
  const gear = [box('a'), box('b')];
  expect(wiresOf(rig([out('1'), out('2')], gear, cables('hub/1 -> a', 'a/thru -> b', 'hub/2 -> b')))).toEqual([
    ['port 1', 'a'],
    ['port 2', 'b'],
  ]);
  const both = rig([out('1'), out('2')], gear, cables('hub/1 -> a', 'hub/2 -> b', 'b/thru -> a'));
  expect(planWires(both).wires[1]).toMatchObject({ conflicts: [{ kind: 'two streams', gearIds: ['a'] }] });
});

test('loops and self-made cycles end', () => {
  const plan = rig([out('1')], [box('a'), box('b')], cables('hub/1 -> a', 'a/thru -> b', 'b/thru -> a'));
  expect(wiresOf(plan)).toEqual([['port 1', 'a', 'b']]);
});

test('possible leaders are compared by the gear that the wires would really reach', () => {
  const leads = { ...box('a').able, lead: true };
  const plan = rig(
    [out('1'), { ...HUB_IN, link: 'usb' }],
    [box('a', { able: leads }), box('b'), box('c')],
    cables('a/out -> hub/hub in', 'hub/1 -> a', 'hub/1 -> b', 'hub/1 -> c'),
  );
  const [best, other] = compareLeaders(plan);
  expect(best).toMatchObject({ gearId: 'hub', leftOut: [] });
  // The wire that reaches the leader carries nothing.
  expect(other).toMatchObject({ gearId: 'a', reaches: [], leftOut: ['b', 'c'] });
  const deaf = { ...plan, gear: plan.gear.map((one) => (one.id === 'b' ? cannotFollow(one) : one)) };
  expect(compareLeaders(deaf)[0]).toMatchObject({ gearId: 'hub', leftOut: ['b'] });
});

const cannotFollow = (gear: RigGear): RigGear => ({ ...gear, able: { ...gear.able, follow: false } });

test('the line test of a split box listens to the gear behind it', () => {
  const heard = box('b', { audioOuts: [{ label: 'Main', input: 4 }] });
  const plan = rig(
    [out('1', 'din')],
    [split('s'), box('a', { audioOuts: [] }), heard],
    cables('hub/1 -> s', 's/out 1 -> a', 's/out 2 -> b'),
  );
  expect(lineTests(plan)).toMatchObject([{ cableId: 'hub/1 -> s', gearId: 'b', portId: 'port 1', hearsAt: 4 }]);
});

test('a merge box passes on those behind it that can lead', () => {
  const plan = rig([HUB_IN], [split('s'), box('a'), box('b')], cables('a/out -> s', 's/out 1 -> hub/hub in'));
  expect(leadersBehind(plan, plan.cables[1]!)).toEqual(['a']);
  expect(leadersBehind(plan, plan.cables[0]!)).toEqual(['a']);
});
