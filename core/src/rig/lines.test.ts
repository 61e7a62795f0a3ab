import { MidiParser } from '../midi/parser';
import { encodeMidi } from '../midi/encode-midi';
import { channelMap, freeChannel } from './channel-map';
import { checklist, startingOrder, syncPlace } from './checklist';
import { answersTest, lineTestBytes, lineTests, type LineTestKind } from './line-test';
import { HUB_ID, type Cable, type NoteRoute, type RigGear, type RigPlan, type Socket } from './rig';
import { fromShelf, hubGear } from './shelf';

const port = (label: string, direction: 'in' | 'out'): Socket => ({
  id: label,
  label,
  direction,
  link: 'din',
  portId: `port ${label}`,
});
const wire = (id: string, from: [string, string], to: [string, string]): Cable => ({
  id,
  from: { gearId: from[0], socketId: from[1] },
  to: { gearId: to[0], socketId: to[1] },
  notesPerSecond: 0,
});
const on = (gear: RigGear, ...channels: number[]): RigGear => ({ ...gear, set: { ...gear.set, channels } });

/** Two devices and a keyboard on one line, a recorder on another; the keyboard also plays into the hub. */
const plan: RigPlan = {
  gear: [
    hubGear([port('A out', 'out'), port('B out', 'out'), port('In', 'in')]),
    on(fromShelf('beatBox', 'box'), 10),
    on(fromShelf('keyboard', 'keys'), 1, 2),
    on({ ...fromShelf('recorder', 'tape'), audioOuts: [{ label: 'Main', input: 3 }] }, 1),
  ],
  cables: [
    wire('one', ['hub', 'A out'], ['box', 'in']),
    wire('two', ['box', 'thru'], ['keys', 'in']),
    wire('three', ['hub', 'B out'], ['tape', 'in']),
    wire('four', ['keys', 'out'], ['hub', 'In']),
  ],
  leaders: ['hub'],
};
const route: NoteRoute = {
  id: 'r',
  from: 'In',
  to: 'A out',
  fromChannel: null,
  toChannel: 2,
  passes: { notes: true, controllers: true, programs: false, bends: true },
};

describe('channels', () => {
  test('the map lists receivers by port and channel, through thrus', () => {
    const [a, b] = channelMap(plan);
    expect([a!.letter, b!.letter]).toEqual(['A', 'B']);
    expect([a!.receivers[0], a!.receivers[1], a!.receivers[9]]).toEqual([['keys'], ['keys'], ['box']]);
    expect(b!.receivers.flat()).toEqual(['tape']);
    expect(a!.receivers).toHaveLength(16);
  });

  test('a free channel is unused by the neighbors; if there is none, the result is null', () => {
    expect(freeChannel(plan, 'box')).toBe(3);
    const all = Array.from({ length: 16 }, (_, i) => i + 1);
    const full = { ...plan, gear: plan.gear.map((one) => (one.id === 'keys' ? on(one, ...all) : one)) };
    expect(freeChannel(full, 'box')).toBeNull();
  });
});

describe('device checklists', () => {
  const about = (rig: RigPlan, id: string) => checklist(rig, id).map(({ item }) => item);

  test('a clock follower is set to external, with receive clock on', () => {
    expect(about(plan, 'box')).toEqual(
      expect.arrayContaining([
        { about: 'clock source', value: 'external' },
        { about: 'clock in', value: 'on' },
        { about: 'clock out', value: 'off' },
        { about: 'receive channel', channels: [10], ports: ['A'] },
      ]),
    );
  });

  test('the leader is set to internal and sends', () => {
    const led = { ...plan, leaders: ['box'] };
    expect(about(led, 'box')).toEqual(
      expect.arrayContaining([
        { about: 'clock source', value: 'internal' },
        { about: 'clock out', value: 'on' },
      ]),
    );
  });

  test('a timecode follower gets its frame rate; a split box has no checklist', () => {
    expect(about(plan, 'tape')).toContainEqual({ about: 'timecode', rate: '24' });
    expect(checklist({ ...plan, gear: [...plan.gear, fromShelf('splitBox', 's')] }, 's')).toEqual([]);
  });

  test('keys routed back through the hub have local control off, and an entry keeps its key until it changes', () => {
    const back = {
      ...plan,
      cables: [...plan.cables, wire('five', ['hub', 'A out'], ['keys', 'usb-in'])],
      routes: [route],
    };
    expect(about(back, 'keys')).toContainEqual({ about: 'local', value: 'off' });
    const keys = checklist(plan, 'tape').map(({ key }) => key);
    const other = {
      ...plan,
      gear: plan.gear.map((one) => (one.id === 'tape' ? { ...one, rate: '30' as const } : one)),
    };
    expect(checklist(plan, 'tape').map(({ key }) => key)).toEqual(keys);
    expect(checklist(other, 'tape').filter(({ key }) => !keys.includes(key))).toHaveLength(1);
  });

  test('sync is set on the socket that the cable from the hub is in; behind another device, that one is named', () => {
    const socket = (id: string, direction: 'in' | 'out' | 'thru') => ({
      id,
      label: id,
      direction,
      link: 'din' as const,
    });
    const box = {
      ...fromShelf('beatBox', 'box'),
      sockets: [socket('A', 'in'), socket('B', 'in'), socket('OUT', 'out')],
    };
    const synth = fromShelf('synthesizer', 'synth');
    const program = fromShelf('audioProgram', 'program');
    const hub = hubGear([socket('Port 1', 'out'), socket('Port in', 'in')]);
    const cable = (from: [string, string], to: [string, string]) => wire(`${from.join()} ${to.join()}`, from, to);
    const wired: RigPlan = {
      gear: [hub, box, synth, program],
      cables: [
        cable(['program', 'loop-out'], ['box', 'A']),
        cable([HUB_ID, 'Port 1'], ['box', 'B']),
        cable(['box', 'OUT'], ['synth', 'in']),
        cable(['program', 'loop-out'], [HUB_ID, 'Port in']),
      ],
      leaders: ['program'],
      routes: [],
    };
    expect(syncPlace(wired, 'box', 'in')).toEqual({ socket: 'B', port: 'Port 1', through: null });
    expect(syncPlace(wired, 'synth', 'in')).toEqual({ socket: 'IN', port: null, through: `${box.name}, OUT` });
    expect(syncPlace(wired, 'program', 'out')).toEqual({ socket: 'Loop out', port: 'Port in', through: null });
    expect(syncPlace(wired, 'program', 'in')).toBeNull();
    expect(startingOrder(wired).map(({ id }) => id)).toEqual(['box', 'synth', 'program']);
    expect(startingOrder({ ...wired, leaders: ['box'] }).map(({ id }) => id)).toEqual(['synth', 'program', 'box']);
  });
});

describe('line test', () => {
  test('each of the hub’s lines is tested by what its gear can respond to', () => {
    expect(lineTests(plan)).toMatchObject([
      { cableId: 'one', kinds: ['clock burst', 'note', 'identity request'], hearsAt: null, answersAt: null },
      { cableId: 'three', kinds: ['full frame', 'note', 'identity request'], hearsAt: 3, answersAt: null },
    ]);
  });

  test('a burst is two beats of clock between start and stop, with the first tick at least 1 ms after start', () => {
    const sent = lineTestBytes('clock burst', { channel: 1, clockRuns: false, atMs: 100 });
    expect(sent.map(({ bytes }) => bytes[0])).toEqual([0xfa, ...Array<number>(48).fill(0xf8), 0xfc]);
    expect(sent[1]!.atMs - sent[0]!.atMs).toBeGreaterThanOrEqual(1);
    expect(sent.at(-1)!.atMs - sent[1]!.atMs).toBeCloseTo(1000, 9);
    expect(lineTestBytes('clock burst', { channel: 1, clockRuns: true, atMs: 0 })).toHaveLength(2);
  });

  test('the bytes of the identity request and the full frame match the standard (recalled, not copied from the page)', () => {
    const first = (kind: LineTestKind) => [...lineTestBytes(kind, { channel: 1, clockRuns: false, atMs: 0 })[0]!.bytes];
    expect(first('identity request')).toEqual([0xf0, 0x7e, 0x7f, 0x06, 0x01, 0xf7]);
    expect(first('full frame')).toEqual([0xf0, 0x7f, 0x7f, 0x01, 0x01, 0x21, 0, 0, 0, 0xf7]);
  });

  test('machine control plays for two seconds, and only where it is sent; timecode that comes back is a response', () => {
    const gear = plan.gear.map((one) => (one.id === 'tape' ? { ...one, mmc: true } : one));
    expect(lineTests({ ...plan, gear }).map(({ kinds }) => kinds.includes('machine control'))).toEqual([false, true]);
    const sent = lineTestBytes('machine control', { channel: 1, clockRuns: false, atMs: 100 });
    // RP-013: F0 7F <all devices> 06 <command> F7, from memory; play is 02, stop 01.
    expect(sent.map(({ bytes, atMs }) => [atMs, bytes[4]])).toEqual([
      [100, 2],
      [2100, 1],
    ]);
    const heard = (...bytes: number[]) => new MidiParser().push(Uint8Array.from(bytes), 0)[0]!.message;
    expect(answersTest('machine control', heard(0xf1, 0x21))).toBe(true);
    expect(answersTest('machine control', heard(0xf0, 0x7f, 0x7f, 0x06, 0x02, 0xf7))).toBe(false);
  });

  test('an identity reply is a response; the request’s own echo and active sensing aren’t', () => {
    const heard = (...bytes: number[]) => new MidiParser().push(Uint8Array.from(bytes), 0)[0]!.message;
    expect(answersTest('identity request', heard(0xf0, 0x7e, 0, 6, 2, 0x7d, 0, 0, 0, 0, 0, 0, 0, 0, 0xf7))).toBe(true);
    expect(answersTest('identity request', heard(0xf0, 0x7e, 0x7f, 6, 1, 0xf7))).toBe(false);
    for (const kind of ['clock burst', 'note', 'identity request', 'full frame'] as const)
      expect(answersTest(kind, heard(0xfe))).toBe(false);
    const note = encodeMidi({ kind: 'noteOn', channel: 4, note: 60, velocity: 1 });
    expect(answersTest('note', heard(...note))).toBe(true);
  });
});
