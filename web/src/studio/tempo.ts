import { FASTEST_BPM, SLOWEST_BPM, TapTempo } from '@metronomo/core';
import { changeRig } from './rig';
import { useSession } from './session';

const taps = new TapTempo();

/** One tap; from the fourth on it sets the tempo. */
export function tap(): void {
  if (useSession.getState().snapshot.leader !== 'hub') return;
  const bpm = taps.tap(performance.now());
  if (bpm !== null && bpm >= SLOWEST_BPM && bpm <= FASTEST_BPM) setTempo(bpm);
}

/** Switches from the song's tempo to a manual one. */
export function setTempo(bpm: number): void {
  void changeRig((rig) => ({ ...rig, bpm, song: { ...rig.song, tempoFrom: 'hand' } }));
}
