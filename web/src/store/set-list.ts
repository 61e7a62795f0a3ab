import type { Rig, SetList, SetSong } from './records';

/** What belongs to the song, of a rig. */
function songOfRig({ song, bpm, gear }: Rig): Pick<SetSong, 'song' | 'bpm' | 'gear'> {
  return {
    song,
    bpm,
    gear: Object.fromEntries(gear.map(({ id, triggers, patchPlan = null }) => [id, { triggers, patchPlan }])),
  };
}

/** The rig with its current song as the first of a set list. */
export function withSetList(rig: Rig, name: string): Rig {
  const id = crypto.randomUUID();
  const setList: SetList = { songs: [{ id, name, ...songOfRig(rig) }], currentId: id, then: 'wait', pauseBars: 2 };
  return { ...rig, setList };
}

/** The rig with one more song, made like the current one; the current one stays open. */
export function withNewSong(rig: Rig, name: string): Rig {
  const { setList } = rig;
  if (!setList) return withSetList(rig, name);
  const song: SetSong = { id: crypto.randomUUID(), name, ...songOfRig(rig) };
  return { ...rig, setList: { ...setList, songs: [...setList.songs, song] } };
}

/** The rig with another song of its set list open; the one before is put back. */
export function withSongOpen(rig: Rig, id: string): Rig {
  const { setList } = rig;
  const next = setList?.songs.find((one) => one.id === id);
  if (!setList || !next || id === setList.currentId) return rig;
  const songs = setList.songs.map((one) => (one.id === setList.currentId ? { ...one, ...songOfRig(rig) } : one));
  return {
    ...rig,
    song: next.song,
    bpm: next.bpm,
    // A device that is newer than the song keeps what it has.
    gear: rig.gear.map((one) => ({ ...one, ...next.gear[one.id] })),
    setList: { ...setList, songs, currentId: id },
  };
}

/** The rig without a song; the current one can't be removed. */
export function withoutSong(rig: Rig, id: string): Rig {
  const { setList } = rig;
  if (!setList || id === setList.currentId) return rig;
  return { ...rig, setList: { ...setList, songs: setList.songs.filter((one) => one.id !== id) } };
}

/** The id of the song after the current one; null after the last. */
export function nextSongId({ setList }: Rig): string | null {
  if (!setList) return null;
  const at = setList.songs.findIndex(({ id }) => id === setList.currentId);
  return setList.songs[at + 1]?.id ?? null;
}
