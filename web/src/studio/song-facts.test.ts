import { boathouse } from '../store/boathouse';
import { barsBeatsTicks, factsOf, songTimecode } from './song-facts';
import { feedsOf, songOf } from './feeds';
import { routesOf, sourcesOf } from './sources';
import type { Rig } from '../store/records';

const demo = boathouse();
const bySong: Rig = { ...demo, song: { ...demo.song, tempoFrom: 'sections' } };

test('positions count the song’s own bars, or 4/4 with a manual tempo', () => {
  const { meter, beginsAt, lengthBeats } = factsOf(bySong.song, 79.3);
  expect(beginsAt).toEqual([0, 16, 80, 94, 158]);
  expect(lengthBeats).toBe(158 + 32);
  expect(barsBeatsTicks(meter, 80)).toBe('21.1.00');
  expect(barsBeatsTicks(meter, 83.5)).toBe('22.1.00'); // A bar of 7/8 is three and a half quarters.
  expect(barsBeatsTicks(factsOf(demo.song, 79.3).meter, 83.5)).toBe('21.4.12');
});

test('timecode starts where the song says: an hour on, at its rate', () => {
  expect(songTimecode(demo.song, 0)).toBe('01:00:00:00');
  expect(songTimecode(demo.song, 61_040)).toBe('01:01:01:01');
  const dropped = { ...demo.song, rate: '29.97df' as const };
  // SMPTE ST 12-1: 00:00:59;29 is followed by 00:01:00;02.
  expect(songTimecode(dropped, (1800 * 1001) / 30)).toBe('01:01:00;02');
});

test('the hub plays the sections if the song sets the tempo, else a constant tempo in 4/4', () => {
  expect(songOf(demo)).toMatchObject({
    tempo: [{ beat: 0, bpm: 79.3 }],
    meter: [{ bar: 1, beatsPerBar: 4, beatUnit: 4 }],
  });
  const { tempo, meter } = songOf(bySong);
  expect(tempo!.slice(0, 2)).toEqual([
    { beat: 0, bpm: 71.5 },
    { beat: 16, bpm: 79.3 },
  ]);
  expect(meter!.map(({ bar, beatsPerBar }) => [bar, beatsPerBar])).toEqual([
    [1, 4],
    [21, 7],
    [25, 4],
  ]);
});

test('each feed counts timecode from the song’s start at its own rate, even where that code is dropped', () => {
  const late: Rig = { ...demo, song: { ...demo.song, timecodeStart: { hours: 1, minutes: 1, seconds: 0, frames: 0 } } };
  const at = (rate: Rig['gear'][number]['rate']) => {
    const gear = late.gear.map((one) => (one.id === 'weir' ? { ...one, rate } : one));
    return feedsOf({ ...late, gear }).find(({ id }) => id === 'boathouse-weir')!.settings;
  };
  expect(at('25')).toMatchObject({ sends: { timecode: '25' }, timecodeStart: { minutes: 1, frames: 0 } });
  expect(at('29.97df').timecodeStart).toEqual({ hours: 1, minutes: 1, seconds: 0, frames: 2 });
});

test('a trigger’s section override starts at the section’s beat and ends with the song', () => {
  const trigger = {
    id: 't',
    every: 1 as const,
    sends: { kind: 'note' as const, channel: 1, note: 60, velocity: 100 },
    inSections: { 0: 'off' as const, 2: 'bar' as const },
  };
  const withTrigger = (rig: Rig): Rig => ({
    ...rig,
    gear: rig.gear.map((one) => (one.id === 'vole' ? { ...one, triggers: [trigger] } : one)),
  });
  const of = (rig: Rig) => feedsOf(withTrigger(rig)).find(({ id }) => id === 'boathouse-vole')!.settings.triggers![0]!;
  expect(of(demo).changes).toBeUndefined();
  expect(of(bySong).changes).toEqual([
    { fromBeat: 0, every: 'off' },
    { fromBeat: 16, every: 1 },
    { fromBeat: 80, every: 'bar' },
    { fromBeat: 94, every: 1 },
    { fromBeat: 158, every: 1 },
    { fromBeat: 190, every: 1 },
  ]);
});

test('routes are resolved to ports; one without a port is left out', () => {
  const [socketIn] = demo.hubSockets.filter(({ direction }) => direction === 'in');
  const passes = { notes: true, controllers: true, programs: true, bends: true };
  const route = { id: 'r', from: socketIn!.id, to: 'boathouse-porch', fromChannel: null, toChannel: 3, passes };
  const routed = { ...demo, routes: [route, { ...route, id: 's', to: 'gone' }] };
  expect(routesOf(routed)).toEqual([
    { id: 'r', fromPortId: 'boathouse-vole', toPortId: 'boathouse-porch', fromChannel: null, toChannel: 3, passes },
  ]);
  expect(sourcesOf(demo)).toMatchObject([
    { id: 'vole', language: 'clock', timecodeStart: { hours: 1 } },
    { id: 'gull', portId: 'boathouse-gull' },
  ]);
});
