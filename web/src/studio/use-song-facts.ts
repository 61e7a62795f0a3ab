import type { MeterPoint } from '@metronomo/core';
import { useSession } from './session';
import { factsOf, type SongFacts } from './song-facts';

export function useSongFacts(): SongFacts | null {
  const rig = useSession(({ rig }) => rig);
  return rig ? factsOf(rig.song, rig.bpm) : null;
}

const COMMON: MeterPoint = { bar: 1, beatsPerBar: 4, beatUnit: 4 };

/** Time signature and tempo where the song stands. */
export function useBarNow(): { bar: MeterPoint; bpm: number } {
  const facts = useSongFacts();
  const bpm = useSession(({ snapshot }) => Math.round(snapshot.bpm));
  const bar = useSession(({ snapshot }) => facts?.meter.meterAt(snapshot.beat));
  return { bar: bar ?? COMMON, bpm };
}

/** Length of a bar, in quarter notes. */
export function barQuarters({ beatsPerBar, beatUnit }: MeterPoint): number {
  return (beatsPerBar * 4) / beatUnit;
}
