import { writeNotesFile, type Section } from '@metronomo/core';
import { create } from 'zustand';
import { showToast } from '../../toasts/toast-store';
import { useSession } from '../../studio/session';
import { hub } from '../../studio/workers';
import { usePortNames } from '../../studio/use-port-names';
import { Button } from '../../parts/button';
import { saveFile } from '../../parts/save-file';
import type { PlayedNote } from '../../hub/protocol';
import type { Rig } from '../../store/records';
import { count } from '../../words/numbers';

/** It goes on while other views are looked at. */
const useNoteTake = create<{ on: boolean }>(() => ({ on: false }));

useSession.subscribe((now, before) => {
  if (now.lost === before.lost || now.lost?.which !== 'hub' || !useNoteTake.getState().on) return;
  useNoteTake.setState({ on: false });
  showToast('The hub was restarted, so the notes recorded so far are lost. Record them again.');
});

/** What is played on the inputs, kept by bar and beat, and saved as a MIDI file that lines up with the song. */
export function NoteTake({ rig }: { rig: Rig }) {
  const on = useNoteTake((state) => state.on);
  const nameOf = usePortNames();
  const start = () => {
    useNoteTake.setState({ on: true });
    void hub.recordNotes(true);
  };
  const stop = async () => {
    useNoteTake.setState({ on: false });
    const notes = await hub.recordNotes(false);
    if (notes.length === 0) {
      showToast('Nothing was played. Notes are recorded while the song plays.');
      return;
    }
    const played = notes.map(({ portId, ...note }) => ({ ...note, track: nameOf(portId) }));
    saveFile(`${rig.name} notes.mid`, [new Uint8Array(writeNotesFile(sectionsOf(rig, notes), played))], 'audio/midi');
    showToast(`Saved ${count(notes.length, 'message')}. The file has the song’s tempo and bars.`);
  };
  return (
    <div className="mt-3 flex flex-wrap items-center gap-3 text-sm">
      <Button aria-pressed={on} onClick={() => (on ? void stop() : start())}>
        {on ? 'Stop and save' : 'Record notes'}
      </Button>
      <span className="text-soft">Notes from all inputs, by bar and beat, as a MIDI file.</span>
    </div>
  );
}

/** The sections in use; with a tempo set by hand, one that is long enough. */
function sectionsOf({ song, bpm }: Rig, notes: readonly PlayedNote[]): readonly Section[] {
  if (song.tempoFrom === 'sections' && song.sections.length > 0) return song.sections;
  const beats = notes.reduce((last, { beat }) => Math.max(last, beat), 0);
  const bars = Math.min(9999, Math.floor(beats / 4) + 1);
  return [{ name: 'Song', bars, bpm, toBpm: null, beatsPerBar: 4, beatUnit: 4 }];
}
