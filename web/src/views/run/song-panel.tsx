import {
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
import { tell } from '../../app/toast-store';
import { changeRig, command, undoWhileLatest, useSession } from '../../hub/session';
import { Button } from '../../parts/button';
import { InlineSelect } from '../../parts/inline-select';
import { OpenFile } from '../../parts/open-file';
import { saveFile } from '../../parts/save-file';
import type { Rig, Song } from '../../store/records';
import { SectionRow } from './section-row';
import { SongCurve } from './song-curve';

const NEW: Section = { name: 'Section', bars: 8, bpm: 120, toBpm: null, beatsPerBar: 4, beatUnit: 4 };
const MOST_SECTIONS = 500;

/** What is played: sections in a table and as a curve, how play begins and stops, and its timecode. */
export function SongPanel({ rig }: { rig: Rig }) {
  const { song } = rig;
  const change = async (next: Partial<Song>) => {
    try {
      await changeRig((before) => ({ ...before, song: { ...before.song, ...next } }));
    } catch (error) {
      if (!(error instanceof ValidationError)) throw error;
      tell(`That was not taken: ${error.message}`);
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
    tell(`${name} was taken out of the song.`, undoWhileLatest());
  };
  return (
    <div className="flex flex-col gap-3 p-4">
      <div className="flex flex-wrap items-center gap-x-5 gap-y-2 text-sm">
        <label className="inline-flex items-center gap-1.5">
          <input
            type="checkbox"
            className="accent-[var(--ink)]"
            disabled={song.sections.length === 0}
            checked={song.tempoFrom === 'sections'}
            onChange={({ target }) => void change({ tempoFrom: target.checked ? 'sections' : 'hand' })}
          />
          tempo and bars by the song
        </label>
        <label className="inline-flex items-center gap-1.5">
          <input
            type="checkbox"
            className="accent-[var(--ink)]"
            checked={song.countsIn}
            onChange={({ target }) => void change({ countsIn: target.checked })}
          />
          count in
        </label>
        <InlineSelect
          name="Bars of count-in"
          value={String(song.countInBars)}
          options={[1, 2, 3, 4].map((bars) => [String(bars), `${bars} ${bars === 1 ? 'bar' : 'bars'}`])}
          onChoose={(bars) => void change({ countInBars: Number(bars) })}
        />
        <InlineSelect
          name="After a stop"
          value={song.afterStop}
          options={[
            ['stay', 'stop stays there'],
            ['toStart', 'stop goes to the start'],
            ['toWherePlayBegan', 'stop goes to where play began'],
          ]}
          onChoose={(afterStop) => void change({ afterStop: afterStop as Song['afterStop'] })}
        />
        <TimecodeStart song={song} onChange={change} />
        <span className="ml-auto flex gap-1">
          <OpenSong onOpen={(next) => void change(next)} />
          <Button
            disabled={song.sections.length === 0}
            onClick={() =>
              saveFile(`${rig.name}.mid`, [new Uint8Array(writeSongFile(song.sections, rig.name))], 'audio/midi')
            }
          >
            Save as MIDI file
          </Button>
        </span>
      </div>
      {song.sections.length > 0 && <SongCurve song={song} />}
      <table className="text-sm">
        <caption className="sr-only">Sections of the song</caption>
        <thead className="text-left text-xs text-soft">
          <tr>
            {['Section', 'Bars', 'BPM', 'to BPM', 'Time', ''].map((title) => (
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
              onGo={() => command({ kind: 'locate', beat: songMaps(song.sections).beginsAt[i] ?? 0 })}
            />
          ))}
        </tbody>
      </table>
      {song.sections.length === 0 && (
        <p className="text-sm text-soft">
          No sections: the song goes at the tempo of the top strip, four beats a bar. Add one for an intro at another
          tempo.
        </p>
      )}
      <div>
        <Button disabled={song.sections.length >= MOST_SECTIONS} onClick={add}>
          <Plus size={14} aria-hidden /> Add a section
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
    <span className="inline-flex items-center gap-1.5">
      <label htmlFor="timecode-start" className="text-soft">
        begins at
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
        name="Frames a second"
        value={song.rate}
        options={(['24', '25', '29.97df', '30'] as const).map((rate) => [rate, `${rate} fps`])}
        onChoose={(rate) =>
          void onChange({ rate: rate as FrameRate, timecodeStart: { ...song.timecodeStart, frames: 0 } })
        }
      />
    </span>
  );
}

function OpenSong({ onOpen }: { onOpen: (next: Partial<Song>) => void }) {
  const rollsBy = useSession(({ rig }) => rig?.song.sections.length ?? 0);
  const open = async (file: File) => {
    try {
      const { name, sections } = readSongFile(new Uint8Array(await file.arrayBuffer()));
      const slow = sections.find(({ bpm }) => bpm < SLOWEST_BPM || bpm > FASTEST_BPM);
      if (slow)
        throw new MidiFileError(
          `${slow.name} goes at ${slow.bpm.toFixed(1)} BPM; here it is from ${SLOWEST_BPM} to ${FASTEST_BPM}`,
        );
      onOpen({ sections, tempoFrom: 'sections' });
      tell(
        `${name || file.name} was read: ${sections.length} sections${rollsBy > 0 ? ' in place of those before' : ''}.`,
      );
    } catch (error) {
      if (!(error instanceof MidiFileError)) throw error;
      tell(`${error.message} Nothing was changed.`);
    }
  };
  return (
    <OpenFile
      name="Read a MIDI file"
      accept=".mid,.midi,audio/midi"
      className="border border-ink bg-raised px-3 py-1.5 hover:bg-sheet"
      onFile={(file) => void open(file)}
    >
      <FolderOpen size={14} aria-hidden /> Read a MIDI file
    </OpenFile>
  );
}

function swapped(all: Section[], a: number, b: number): Section[] {
  const [first, second] = [all[a], all[b]];
  if (!first || !second) return all;
  return all.map((one, i) => (i === a ? second : i === b ? first : one));
}
