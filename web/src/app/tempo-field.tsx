import { FASTEST_BPM, SLOWEST_BPM } from '@metronomo/core';
import { useId, useState } from 'react';
import { useSession } from '../studio/session';
import { Button } from '../parts/button';
import { setTempo, tap } from '../studio/tempo';
import { hasOwnTempo } from '../studio/transport';
import { decimal } from '../words/numbers';

/** The tempo, typed or tapped; changes apply to all followers during playback. */
export function TempoField() {
  const id = useId();
  // From the hub: after the leader was lost this is its last tempo, whatever was set by hand before.
  const bpm = useSession(({ snapshot }) => snapshot.bpm);
  const fromSong = useSession(({ rig }) => rig?.song.tempoFrom === 'sections' && rig.song.sections.length > 0);
  const led = useSession(({ snapshot, rig }) => !hasOwnTempo(snapshot, rig));
  const [draft, setDraft] = useState<string | null>(null);
  const wanted = draft === null ? bpm : Number(draft.replace(',', '.'));
  const invalid = !(wanted >= SLOWEST_BPM && wanted <= FASTEST_BPM);
  const settle = () => {
    if (draft !== null && !invalid && wanted !== bpm) setTempo(wanted);
    setDraft(null);
  };
  return (
    <div className="flex items-end gap-2">
      <div className="flex flex-col">
        <label htmlFor={id} className="text-xs text-soft">
          Tempo, BPM{fromSong ? ' (from song)' : ''}
        </label>
        <input
          id={id}
          inputMode="decimal"
          aria-invalid={draft !== null && invalid}
          readOnly={led}
          title={led ? 'Tempo set by the leader' : `${SLOWEST_BPM} to ${FASTEST_BPM} BPM`}
          className="w-34 max-sm:w-24 max-sm:text-2xl border-b border-transparent bg-transparent text-[32px] leading-tight font-bold hover:border-rule focus:border-ink aria-invalid:text-wrong"
          value={draft ?? decimal(bpm, 2)}
          onFocus={(event) => event.target.select()}
          onChange={(event) => setDraft(event.target.value.slice(0, 9))}
          onBlur={settle}
          onKeyDown={(event) => {
            if (event.key === 'Enter') settle();
            if (event.key === 'Escape') setDraft(null);
          }}
        />
      </div>
      <Button className="mb-1.5 !px-2.5 !py-1" disabled={led} onClick={tap} title="Tap at least four beats (T)">
        Tap
      </Button>
    </div>
  );
}
