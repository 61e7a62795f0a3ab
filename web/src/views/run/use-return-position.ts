import { beatOf, useDrift } from '../../studio/drift-watch';
import { useSession } from '../../studio/session';
import { barsBeatsTicks, songTimecode, type SongFacts } from '../../studio/song-facts';
import { useSongFacts } from '../../studio/use-song-facts';
import type { Follower } from '../../studio/use-followers';
import { latenessText } from '../../parts/words';

/** A follower's position from its last hit: bar and beat, and in words also timecode, latency and the last stop. */
export function useReturnPosition({ gear, isHeard, reading }: Follower): { text: string; words: string } | null {
  const lastHitMs = reading?.lastHitMs ?? null;
  const late = reading?.medianMs ?? 0;
  const rolling = useSession(({ snapshot }) => snapshot.state === 'rolling');
  const heard = useSession(({ snapshot: { beat, bpm }, snapshotAtMs }) =>
    lastHitMs === null ? null : Math.round(beatOf(lastHitMs - late, beat, bpm, snapshotAtMs)),
  );
  const song = useSession(({ rig }) => rig?.song);
  const stop = useDrift(({ stops }) =>
    isHeard && gear.returnChannel !== null ? stops[gear.returnChannel] : undefined,
  );
  const facts = useSongFacts();
  if (!facts || !song || heard === null) return null;
  const at = rolling ? heard : (stop?.heardBeat ?? null);
  if (at === null || at < 0) return null;
  const where = inBars(facts, at);
  const parts = [
    `${gear.name} at ${where}, timecode ${songTimecode(song, facts.tempo.msAt(at))}`,
    `${latenessText(late)} relative to the hub`,
    stop &&
      stop.heardBeat !== null &&
      `at last stop: device at ${inBars(facts, stop.heardBeat)}, hub at ${inBars(facts, stop.hubBeat)}`,
  ];
  return { text: where, words: `${parts.filter(Boolean).join('; ')}.` };
}

function inBars({ meter }: SongFacts, beat: number): string {
  return barsBeatsTicks(meter, Math.max(0, beat)).split('.').slice(0, 2).join('.');
}
