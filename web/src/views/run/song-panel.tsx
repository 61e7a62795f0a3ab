import {
  codeAtRate,
  FASTEST_BPM,
  formatTimecode,
  MidiFileError,
  parseTimecode,
  readSongFile,
  SLOWEST_BPM,
  songMaps,
  writeSongFile,
  type FrameRate,
  type Section,
} from '@metronomo/core';
import { FolderOpen, Plus } from 'lucide-react';
import { useState } from 'react';
import { ValidationError } from 'yup';
import { locate } from '../../studio/locate';
import { showToast } from '../../toasts/toast-store';
import { changeRig, undoWhileLatest } from '../../studio/rig';
import { useSession } from '../../studio/session';
import { whyCountIn } from '../../studio/transport';
import { Button } from '../../parts/button';
import { InlineSelect } from '../../parts/inline-select';
import { OpenFile } from '../../parts/open-file';
import { saveFile } from '../../parts/save-file';
import type { Rig, Song } from '../../store/records';
import { SectionRow } from './section-row';
import { SongCurve } from './song-curve';
import { count, decimal, fps } from '../../words/numbers';

const NEW: Section = { name: 'Section', bars: 8, bpm: 120, toBpm: null, beatsPerBar: 4, beatUnit: 4 };
const MAX_SECTIONS = 500;

/** Count-in, stop behavior, timecode and the sections of the song. */
export function SongPanel({ rig }: { rig: Rig }) {
  const { song } = rig;
  const countsInNow = useSession(({ snapshot }) => whyCountIn(rig, snapshot) !== null);
  const change = async (next: Partial<Song>) => {
    try {
      await changeRig((before) => ({ ...before, song: { ...before.song, ...next } }));
    } catch (error) {
      if (!(error instanceof ValidationError)) throw error;
      showToast(`Song not changed. ${error.message}`);
    }
  };
  const sections = (make: (before: Section[]) => Section[]) => void change({ sections: make(song.sections) });
  const add = () =>
    sections((before) => [
      ...before,
      { ...(before.at(-1) ?? { ...NEW, bpm: rig.bpm }), name: `Section ${before.length + 1}` },
    ]);
  const remove = async (at: number) => {
    const name = song.sections[at]?.name ?? '';
    await change({ sections: song.sections.filter((_, i) => i !== at) });
    showToast(`Removed ${name} from the song.`, undoWhileLatest());
  };
  return (
    <div className="flex flex-col gap-3 p-4">
      <div className="flex flex-wrap items-center gap-x-5 gap-y-2 text-sm">
        <label
          className="inline-flex items-center gap-1.5"
          title="Tempo and time signature come from the sections below"
        >
          <input
            type="checkbox"
            className="accent-[var(--ink)]"
            disabled={song.sections.length === 0}
            checked={song.tempoFrom === 'sections'}
            onChange={({ target }) => void change({ tempoFrom: target.checked ? 'sections' : 'hand' })}
          />
          Use song sections
        </label>
        <label className="inline-flex items-center gap-1.5">
          <input
            type="checkbox"
            className="accent-[var(--ink)]"
            checked={countsInNow}
            onChange={({ target }) => void change({ countsIn: target.checked, countInChosen: true })}
          />
          Count-in
        </label>
        <InlineSelect
          name="Count-in length"
          value={String(song.countInBars)}
          options={[1, 2, 3, 4].map((bars) => [String(bars), count(bars, 'bar')])}
          onChoose={(bars) => void change({ countInBars: Number(bars) })}
        />
        <InlineSelect
          name="On stop"
          value={song.afterStop}
          options={[
            ['stay', 'On stop: stay in place'],
            ['toStart', 'On stop: go to song start'],
            ['toWherePlayBegan', 'On stop: go to where play began'],
          ]}
          onChoose={(afterStop) => void change({ afterStop: afterStop as Song['afterStop'] })}
        />
      </div>
      <TimecodeStart song={song} onChange={change} />
      {song.sections.length > 0 && <SongCurve song={song} />}
      <div className="flex items-center text-sm">
        <h2 className="font-bold">Song sections</h2>
        <span className="ml-auto flex gap-1">
          <OpenSong onOpen={(next) => void change(next)} />
          <Button
            disabled={song.sections.length === 0}
            onClick={() =>
              saveFile(`${rig.name}.mid`, [new Uint8Array(writeSongFile(song.sections, rig.name))], 'audio/midi')
            }
          >
            Export MIDI file
          </Button>
        </span>
      </div>
      <div className="overflow-x-auto">
        <table className="text-sm">
          <caption className="sr-only">Song sections</caption>
          <thead className="text-left text-xs text-soft">
            <tr>
              {['Section', 'Bars', 'BPM', 'Ramp to BPM', 'Time sig.', ''].map((title) => (
                <th key={title} className="pr-2 font-normal">
                  {title || <span className="sr-only">Actions</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {song.sections.map((section, i) => (
              <SectionRow
                key={i}
                section={section}
                number={i + 1}
                count={song.sections.length}
                onChange={(next) => sections((all) => all.map((one, k) => (k === i ? { ...one, ...next } : one)))}
                onMove={(by) => sections((all) => swapped(all, i, i + by))}
                onRemove={() => void remove(i)}
                onGo={() => locate(songMaps(song.sections).beginsAt[i] ?? 0)}
              />
            ))}
          </tbody>
        </table>
      </div>
      {song.sections.length === 0 && (
        <p className="text-sm text-soft">
          No sections yet. The song plays in 4/4 at the tempo in the top bar. Add a section to change tempo or time
          signature.
        </p>
      )}
      <div>
        <Button disabled={song.sections.length >= MAX_SECTIONS} onClick={add}>
          <Plus size={14} aria-hidden /> Add section
        </Button>
      </div>
    </div>
  );
}

function TimecodeStart({ song, onChange }: { song: Song; onChange: (next: Partial<Song>) => Promise<void> }) {
  const [draft, setDraft] = useState<string | null>(null);
  const value = formatTimecode(song.timecodeStart, song.rate);
  const parsed = () => {
    try {
      return draft === null ? null : parseTimecode(draft, song.rate);
    } catch {
      return null;
    }
  };
  const settle = () => {
    const start = parsed();
    if (start) void onChange({ timecodeStart: start });
    setDraft(null);
  };
  return (
    <span className="inline-flex items-center gap-1.5 text-sm">
      <label htmlFor="timecode-start" className="text-soft">
        Start timecode
      </label>
      <input
        id="timecode-start"
        aria-invalid={draft !== null && parsed() === null}
        className="w-28 border border-rule px-1.5 py-0.5 aria-invalid:border-wrong"
        value={draft ?? value}
        onChange={({ target }) => setDraft(target.value.slice(0, 11))}
        onBlur={settle}
        onKeyDown={({ key }) => {
          if (key === 'Enter') settle();
          if (key === 'Escape') setDraft(null);
        }}
      />
      <InlineSelect
        name="Frame rate"
        value={song.rate}
        options={(['24', '25', '29.97df', '30'] as const).map((rate) => [rate, fps(rate)])}
        onChoose={(rate) =>
          void onChange({
            rate: rate as FrameRate,
            timecodeStart: codeAtRate(song.timecodeStart, rate as FrameRate),
          })
        }
      />
    </span>
  );
}

function OpenSong({ onOpen }: { onOpen: (next: Partial<Song>) => void }) {
  const replaced = useSession(({ rig }) => rig?.song.sections.length ?? 0);
  const open = async (file: File) => {
    try {
      const { name, sections } = readSongFile(new Uint8Array(await file.arrayBuffer()));
      const slow = sections.find(({ bpm }) => bpm < SLOWEST_BPM || bpm > FASTEST_BPM);
      if (slow)
        throw new MidiFileError(
          `${slow.name} is at ${decimal(slow.bpm, 1)} BPM. Metronomo supports ${SLOWEST_BPM} to ${FASTEST_BPM} BPM.`,
        );
      onOpen({ sections, tempoFrom: 'sections' });
      showToast(
        `Imported ${name || file.name}: ${count(sections.length, 'section')}${replaced > 0 ? ', replacing the previous ones' : ''}.`,
      );
    } catch (error) {
      if (!(error instanceof MidiFileError)) throw error;
      showToast(`${error.message} The song is unchanged.`);
    }
  };
  return (
    <OpenFile
      name="Import MIDI file"
      accept=".mid,.midi,audio/midi"
      className="border border-ink bg-raised px-3 py-1.5 hover:bg-sheet"
      onFile={(file) => void open(file)}
    >
      <FolderOpen size={14} aria-hidden /> Import MIDI file
    </OpenFile>
  );
}

function swapped(all: Section[], a: number, b: number): Section[] {
  const [first, second] = [all[a], all[b]];
  if (!first || !second) return all;
  return all.map((one, i) => (i === a ? second : i === b ? first : one));
}
