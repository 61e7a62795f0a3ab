import { useSession } from './session';
import { factsOf, type SongFacts } from './song-facts';

export function useSongFacts(): SongFacts | null {
  const rig = useSession(({ rig }) => rig);
  return rig ? factsOf(rig.song, rig.bpm) : null;
}
