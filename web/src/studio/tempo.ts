import { FASTEST_BPM, SLOWEST_BPM, TapTempo } from '@metronomo/core';
import { changeRig } from './rig';
import { useSession } from './session';
import { hasOwnTempo } from './transport';

const taps = new TapTempo();

/** One tap; from the fourth on it sets the tempo. */
export function tap(): void {
  const { snapshot, rig } = useSession.getState();
  if (!hasOwnTempo(snapshot, rig)) return;
  const bpm = taps.tap(performance.now());
  if (bpm !== null && bpm >= SLOWEST_BPM && bpm <= FASTEST_BPM) setTempo(bpm);
}

/** Switches from the song's tempo to a manual one. */
export function setTempo(bpm: number): void {
  void changeRig((rig) => ({ ...rig, bpm, song: { ...rig.song, tempoFrom: 'hand' } }));
}
