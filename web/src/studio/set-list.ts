import { nextSongId, withSongOpen } from '../store/set-list';
import { showToast } from '../toasts/toast-store';
import { locate } from './locate';
import { changeRig } from './rig';
import { useSession } from './session';
import { countsIn, stop } from './transport';
import { command } from './workers';

/** Opens a song of the set list: everyone is stopped, and located at its start. */
export async function openSong(id: string): Promise<void> {
  const { snapshot } = useSession.getState();
  if (snapshot.state !== 'stopped') stop();
  await changeRig((rig) => withSongOpen(rig, id));
  locate(0);
}

export function nextSong(): void {
  const { rig } = useSession.getState();
  const id = rig ? nextSongId(rig) : null;
  if (id !== null) void openSong(id);
  else
    showToast(rig?.setList ? 'That was the last song of the set list.' : 'No set list yet. Make one in Run, Set list.');
}

/** When a song has played to its end, the next one is opened, and plays by itself if that is wanted. */
export function watchSongEnds(): void {
  useSession.subscribe(({ snapshot, rig }, before) => {
    if (snapshot.songsEnded <= before.snapshot.songsEnded || !rig?.setList) return;
    const id = nextSongId(rig);
    if (id !== null) void goOn(id);
  });
}

async function goOn(id: string): Promise<void> {
  await openSong(id);
  const { rig } = useSession.getState();
  if (rig?.setList?.then === 'play' && rig.setList.currentId === id)
    command({ kind: 'play', countIn: countsIn(), afterBars: rig.setList.pauseBars });
}
