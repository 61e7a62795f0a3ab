import { boathouse } from './boathouse';
import type { Rig } from './records';
import { checkRig } from './rig-schema';
import { nextSongId, withNewSong, withoutSong, withSetList, withSongOpen } from './set-list';

const trigger = {
  id: 't',
  every: 1 as const,
  sends: { kind: 'note' as const, channel: 1, note: 60, velocity: 100 },
  inSections: {},
};
const withTriggers = (rig: Rig, triggers: Rig['gear'][number]['triggers']): Rig => ({
  ...rig,
  gear: rig.gear.map((one, i) => (i === 0 ? { ...one, triggers } : one)),
});
/** Two songs; the second at 150 BPM with a trigger on the first device. */
function twoSongs(): { rig: Rig; ids: string[] } {
  const first = withNewSong(withSetList(boathouse(), 'One'), 'Two');
  const ids = first.setList!.songs.map(({ id }) => id);
  const second = withTriggers({ ...withSongOpen(first, ids[1]!), bpm: 150 }, [trigger]);
  return { rig: withSongOpen(second, ids[0]!), ids };
}

test('each song keeps its own tempo, sections and triggers, whichever is open', () => {
  const { rig, ids } = twoSongs();
  expect(rig.bpm).toBe(boathouse().bpm);
  expect(rig.gear[0]!.triggers).toEqual([]);
  const again = withSongOpen(rig, ids[1]!);
  expect(again.bpm).toBe(150);
  expect(again.gear[0]!.triggers).toEqual([trigger]);
  expect(withSongOpen(again, ids[0]!).song).toEqual(rig.song);
  expect(() => checkRig(again)).not.toThrow();
});

test('a device that is newer than a song keeps its triggers when that song opens', () => {
  const { rig, ids } = twoSongs();
  const newcomer = { ...rig.gear[0]!, id: 'new', name: 'New', triggers: [trigger] };
  const opened = withSongOpen({ ...rig, gear: [...rig.gear, newcomer] }, ids[1]!);
  expect(opened.gear.at(-1)!.triggers).toEqual([trigger]);
});

test('songs follow each other in order; the open one stays, and an unknown one changes nothing', () => {
  const { rig, ids } = twoSongs();
  expect(nextSongId(rig)).toBe(ids[1]);
  expect(nextSongId(withSongOpen(rig, ids[1]!))).toBeNull();
  expect(nextSongId(boathouse())).toBeNull();
  expect(withSongOpen(rig, 'nobody')).toBe(rig);
  expect(withoutSong(rig, ids[0]!)).toBe(rig);
  expect(withoutSong(rig, ids[1]!).setList!.songs.map(({ id }) => id)).toEqual([ids[0]]);
});
