import { BARE, connect, setOutputPort, withOffset, withSyncOffset } from '../store/rig-plan';
import { gear } from '../store/gear';
import type { Rig } from '../store/records';
import { feedsOf, songOf, withFills } from './feeds';
import { offsetBeside, routesOf, sourcesOf } from './sources';

const bare: Rig = {
  id: 'r',
  name: 'R',
  demo: false,
  bpm: 120,
  gear: [gear({ id: 'a', name: 'A', offsetMs: -5 }), gear({ id: 'b', name: 'B' })],
  ...BARE,
  input: { sourceId: 'none', label: '', clickChannel: 0 },
};
const rig = setOutputPort(bare, 'a', { id: 'midi:1', name: 'One' });
const behind = connect(rig, { gearId: 'a', socketId: 'thru' }, { gearId: 'b', socketId: 'in' });

test('the click and one feed for each wire', () => {
  expect(feedsOf(rig).map(({ id, portId }) => [id, portId])).toEqual([
    ['click', 'click'],
    ['midi:1', 'midi:1'],
  ]);
  expect(feedsOf(rig)[1]!.settings).toMatchObject({ offsetMs: -5, sends: { clock: true, transport: true } });
});

test('driven by notes, a follower gets quarter notes on its channel, no clock, and its offset', () => {
  const { settings } = feedsOf(rig, ['a'])[1]!;
  expect(settings.sends).toEqual({ clock: false, transport: false, position: false, timecode: null });
  expect(settings).toMatchObject({ offsetMs: -5, notes: { channel: 10 } });
});

test('gear behind a thru adds to the wire, and doesn’t get a stream of its own', () => {
  const clockWhileStopped = { ...behind, gear: behind.gear.map((one) => ({ ...one, clockWhileStopped: true })) };
  expect(feedsOf(clockWhileStopped).map(({ id, settings }) => [id, settings.clockWhileStopped])).toEqual([
    ['click', false],
    ['midi:1', true],
  ]);
  const [, notes, ...more] = feedsOf(behind, ['b']);
  expect(notes).toMatchObject({ id: 'b', portId: 'midi:1', settings: { notes: { channel: 10 } } });
  expect(more).toEqual([]);
});

test('an offset moves everyone with the same sync on the wire', () => {
  expect(withOffset(behind, 'b', 3).gear.map(({ offsetMs }) => offsetMs)).toEqual([3, 3]);
  expect(withOffset(rig, 'b', 3).gear.map(({ offsetMs }) => offsetMs)).toEqual([-5, 3]);
});

test('each feed knows what its bytes reach', () => {
  expect(feedsOf(behind)[1]).toMatchObject({ reaches: ['a', 'b'], sendsToLeader: false });
});

test('the offset on its sync is that of the device that leads', () => {
  const rig = into(['a', 'out', 'in 1'], ['b', 'out', 'in 2']);
  expect(sourcesOf(withSyncOffset(rig, 'b', 12.5)).map(({ offsetMs }) => offsetMs)).toEqual([undefined, 12.5]);
});

/** Cables from outs of gear to hub inputs, by socket ids. */
const into = (...cables: [gearId: string, socketId: string, hubSocketId: string][]): Rig => ({
  ...bare,
  hubSockets: ['in 1', 'in 2'].map((id) => ({ id, label: id, direction: 'in', link: 'din', portId: `midi:${id}` })),
  cables: cables.map(([gearId, socketId, hubSocketId]) => ({
    id: `${gearId} ${hubSocketId}`,
    from: { gearId, socketId },
    to: { gearId: 'hub', socketId: hubSocketId },
    notesPerSecond: 0,
  })),
});

test('two cables from one device are two sources that lead under its id', () => {
  const sources = sourcesOf(into(['a', 'out', 'in 1'], ['a', 'out', 'in 2']));
  expect(sources.map(({ id, gearId, portId }) => [id, gearId, portId])).toEqual([
    ['a', 'a', 'midi:in 1'],
    ['a in 2', 'a', 'midi:in 2'],
  ]);
});

test('two devices on one input are a source each', () => {
  const sources = sourcesOf(into(['a', 'out', 'in 1'], ['b', 'out', 'in 1']));
  expect(sources.map(({ id, portId }) => [id, portId])).toEqual([
    ['a', 'midi:in 1'],
    ['b', 'midi:in 1'],
    ['in 2', 'midi:in 2'],
  ]);
});

describe('a route to a device whose clock has an offset', () => {
  const routed = (offsetMs: number, toChannel: number | null = null): Rig => {
    const wired = setOutputPort(into(['a', 'out', 'in 1']), 'a', { id: 'midi:1', name: 'One' });
    const to = wired.hubSockets.find(({ portId }) => portId === 'midi:1')!.id;
    const passes = { notes: true, controllers: true, programs: true, bends: true };
    return {
      ...withOffset(wired, 'a', offsetMs),
      routes: [{ id: 'r', from: 'in 2', to, fromChannel: null, toChannel, passes }],
    };
  };

  test('later: its notes are delayed by as much', () => {
    expect(routesOf(routed(12.5))[0]).toMatchObject({ toPortId: 'midi:1', delayMs: 12.5 });
  });

  test('earlier: notes can’t be sent before they are played, so there is no delay, but it is known by how much they lag', () => {
    const rig = routed(-12.5);
    expect(routesOf(rig)[0]).not.toHaveProperty('delayMs');
    expect(offsetBeside(rig, rig.routes[0]!)?.offsetMs).toBe(-12.5);
  });

  test('a device that doesn’t sync to clock has none to keep with', () => {
    const rig = routed(12.5);
    const noClock = { ...rig, gear: rig.gear.map((one) => ({ ...one, syncsTo: 'nothing' as const })) };
    expect(routesOf(noClock)[0]).not.toHaveProperty('delayMs');
  });

  test('a channel that the device doesn’t receive isn’t delayed', () => {
    expect(routesOf(routed(12.5, 16))[0]).not.toHaveProperty('delayMs');
  });
});

const section = (name: string, bars: number) => ({ name, bars, bpm: 100, toBpm: null, beatsPerBar: 4, beatUnit: 4 });
const beat = { id: 't', every: 1 as const, sends: { kind: 'note' as const, channel: 3, note: 40, velocity: 90 } };
/** Two sections of four bars, a trigger with a fill, and programs for the first device. */
const song: Rig = {
  ...rig,
  song: { ...rig.song, sections: [section('Verse', 4), section('Bridge', 4)], tempoFrom: 'sections' },
  gear: rig.gear.map((one) => ({
    ...one,
    triggers: one.id === 'a' ? [{ ...beat, fill: 1 / 4, inSections: { '1': 'off' as const } }] : [],
    patchPlan:
      one.id === 'a'
        ? {
            channel: 5,
            leadMs: 80,
            atStart: { program: 1, bank: null },
            inSections: { '1': { program: 2, bank: 130 } },
          }
        : null,
  })),
};

test('programs are sent at the start, and from the beat where their section begins', () => {
  const patches = [
    { fromBeat: 0, channel: 5, leadMs: 80, program: 1, bank: null },
    { fromBeat: 16, channel: 5, leadMs: 80, program: 2, bank: 130 },
  ];
  expect(feedsOf(song)[1]!.settings.patches).toEqual(patches);
  // With a tempo set by hand there are no sections.
  const byHand = { ...song, song: { ...song.song, tempoFrom: 'hand' as const } };
  expect(feedsOf(byHand)[1]!.settings.patches).toEqual(patches.slice(0, 1));
});

test('a fill runs at its own rate in every section, and a trigger that is off sends nothing', () => {
  const [trigger] = feedsOf(song)[1]!.settings.triggers ?? [];
  expect([trigger?.every, trigger?.changes?.map(({ every }) => every)]).toEqual([1, [1, 'off', 1]]);
  const [filled] = feedsOf(withFills(song, ['t']))[1]!.settings.triggers ?? [];
  expect([filled?.every, filled?.changes?.map(({ every }) => every)]).toEqual([1 / 4, [1 / 4, 1 / 4, 1 / 4]]);
  expect(withFills(song, [])).toBe(song);
  const off = {
    ...song,
    gear: song.gear.map((one) => ({ ...one, triggers: one.triggers.map((t) => ({ ...t, off: true })) })),
  };
  expect(feedsOf(off)[1]!.settings.triggers).toEqual([]);
});

test('a song ends on its last bar line only as part of a set list', () => {
  expect(songOf(song).endBeat).toBeNull();
  const setList = { songs: [], currentId: 's', then: 'wait' as const, pauseBars: 0 };
  expect(songOf({ ...song, setList }).endBeat).toBe(32);
});
