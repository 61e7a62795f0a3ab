import { useState } from 'react';
import { useNavigate } from 'react-router';
import { FASTEST_BPM, MidiFileError, readSongFile, SLOWEST_BPM, songBeats, type Section } from '@metronomo/core';
import { measure } from '../../studio/workers';
import { useSession } from '../../studio/session';
import type { FileSummary } from '../../measure/protocol';
import { Button } from '../../parts/button';
import { Field, Select } from '../../parts/field';
import { OpenFile as OpenFileButton } from '../../parts/open-file';
import { PLAYED_BY } from '../../parts/take-words';
import type { PlayedBy, Take, TakeBeats } from '../../store/records';
import { count, decimal, whole } from '../../words/numbers';

export interface OpenFile extends FileSummary {
  name: string;
  /** Time of opening; resets the form for a new file. */
  opened: number;
}

type Reference = 'click' | 'starts' | 'tempo' | 'song' | 'midi';

interface MidiSong {
  name: string;
  sections: Section[];
}

const MAX_MIDI_BYTES = 4_000_000;
const LONGEST_SECTION = 60;

/** What is on the recording, and how it was played. */
export function RecordingForm({ file, onProblem }: { file: OpenFile; onProblem: (problem: string | null) => void }) {
  const rig = useSession(({ rig }) => rig);
  const navigate = useNavigate();
  const two = file.peaks.length > 1;
  const [by, setBy] = useState<Reference>(two ? 'click' : 'tempo');
  const [clickChannel, setClickChannel] = useState(0);
  const [gearChannel, setGearChannel] = useState(two ? 1 : 0);
  const [tempo, setTempo] = useState(String(rig?.bpm ?? 120));
  const [firstBeat, setFirstBeat] = useState('0');
  const [firstBar, setFirstBar] = useState('1');
  const [midi, setMidi] = useState<MidiSong | null>(null);
  const [gearId, setGearId] = useState('');
  const [playedBy, setPlayedBy] = useState<PlayedBy>('hub');
  const [busy, setBusy] = useState(false);
  const bpm = Number(tempo.replace(',', '.'));
  const firstBeatMs = Number(firstBeat.replace(',', '.'));
  const byClick = by === 'click' || by === 'starts';
  const song = by === 'midi' ? midi?.sections : rig?.song.sections;
  const fits = {
    click: clickChannel !== gearChannel,
    starts: clickChannel !== gearChannel,
    tempo: bpm >= SLOWEST_BPM && bpm <= FASTEST_BPM && Number.isFinite(firstBeatMs),
    song: Number.isFinite(firstBeatMs) && Number(firstBar) >= 1,
    midi: midi !== null && Number.isFinite(firstBeatMs) && Number(firstBar) >= 1,
  }[by];

  /** @throws RangeError if the song doesn't reach the recording's first bar. */
  const beatsOf = (): TakeBeats => {
    if (byClick) return { clickChannel };
    if (by === 'tempo') return { bpm, firstBeatMs };
    const place = { firstBar: Math.floor(Number(firstBar)), firstBeatMs, lengthMs: 1000 * file.seconds };
    const { beatsMs, sections } = songBeats(song ?? [], place);
    // A marker of a MIDI file may be longer than a section's name.
    return { beatsMs, sections: sections.map((one) => ({ ...one, name: one.name.slice(0, LONGEST_SECTION) })) };
  };

  const run = async () => {
    if (!rig) return;
    const gear = rig.gear.find(({ id }) => id === gearId);
    setBusy(true);
    try {
      const take: Take = {
        id: crypto.randomUUID(),
        rigId: rig.id,
        startedAt: Date.now(),
        source: 'recording',
        kind: by === 'starts' ? 'startsBySound' : 'recording',
        gearIds: gear ? [gear.id] : [],
        proof: false,
        status: 'done',
        sampleRate: file.sampleRate,
        frames: 0,
        bpm: by === 'tempo' ? bpm : null,
        drive: null,
        input: file.name.slice(0, 120),
        beats: beatsOf(),
        ...(by === 'starts' && { plan: { question: 'startsBySound', leader: 'Leader', leaderId: null } }),
        ...(gear && playedBy !== 'hub' && { playedBy }),
        lines: [
          {
            gearId: gear?.id ?? null,
            name: gear?.name ?? file.name.slice(0, 60),
            channel: gearChannel,
            // Only what the hub sent was moved by it.
            offsetMs: gear && playedBy === 'hub' ? gear.offsetMs : 0,
            report: null,
            landings: [],
            pulsesMs: [],
            onsetsMs: [],
          },
        ],
      };
      await measure.keepFile(take);
      onProblem(null);
      void navigate(`/bench/${take.id}`);
    } catch (error) {
      onProblem(error instanceof Error ? error.message : 'The recording couldn’t be measured. Try another file.');
    } finally {
      setBusy(false);
    }
  };

  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        void run();
      }}
    >
      <p className="text-xs text-soft">
        {decimal(file.seconds, 1)} s at {file.sampleRate / 1000} kHz, {count(file.peaks.length, 'channel')}
      </p>
      <Field
        label="Device"
        {...(gearId &&
          playedBy === 'hub' && { hint: 'Assumes the device’s current offset was active during the recording' })}
      >
        {(id) => (
          <Select id={id} value={gearId} onChange={(event) => setGearId(event.target.value)}>
            <option value="">Not in this rig</option>
            {rig?.gear.map(({ id: gear, name }) => (
              <option key={gear} value={gear}>
                {name}
              </option>
            ))}
          </Select>
        )}
      </Field>
      {gearId && (
        <Field label="Played by" {...(playedBy !== 'hub' && { hint: 'Align leaves this recording out' })}>
          {(id) => (
            <Select id={id} value={playedBy} onChange={(event) => setPlayedBy(event.target.value as PlayedBy)}>
              {Object.entries(PLAYED_BY).map(([value, text]) => (
                <option key={value} value={value}>
                  {text}
                </option>
              ))}
            </Select>
          )}
        </Field>
      )}
      <ChannelSelect label="Device" file={file} value={gearChannel} onChange={setGearChannel} />
      <Field label="Beat reference">
        {(id) => (
          <Select id={id} value={by} onChange={(event) => setBy(event.target.value as Reference)}>
            <option value="click" disabled={!two}>
              Click on another channel
            </option>
            <option value="starts" disabled={!two}>
              Leader, several starts
            </option>
            <option value="tempo">Fixed tempo</option>
            <option value="song" disabled={!rig?.song.sections.length}>
              The rig’s song
            </option>
            <option value="midi">Tempo map of a MIDI file</option>
          </Select>
        )}
      </Field>
      {byClick && (
        <ChannelSelect
          label={by === 'click' ? 'Click' : 'Leader'}
          file={file}
          value={clickChannel}
          onChange={setClickChannel}
        />
      )}
      {by === 'midi' && <MidiFile song={midi} onSong={setMidi} onProblem={onProblem} />}
      {!byClick && (
        <div className="grid grid-cols-2 gap-3">
          {by === 'tempo' ? (
            <NumberField label="Tempo, BPM" value={tempo} onChange={setTempo} />
          ) : (
            <NumberField label="Starts with bar" value={firstBar} onChange={setFirstBar} />
          )}
          <NumberField
            label={by === 'tempo' ? 'First beat, ms' : 'That bar begins at, ms'}
            value={firstBeat}
            onChange={setFirstBeat}
          />
        </div>
      )}
      <Button type="submit" tone="strong" disabled={busy || !fits}>
        {busy ? 'Measuring…' : 'Measure'}
      </Button>
    </form>
  );
}

function ChannelSelect({
  label,
  file,
  value,
  onChange,
}: {
  label: string;
  file: OpenFile;
  value: number;
  onChange: (channel: number) => void;
}) {
  return (
    <Field label={`${label} channel`}>
      {(id) => (
        <Select id={id} value={value} onChange={(event) => onChange(Number(event.target.value))}>
          {file.peaks.map((peak, i) => (
            <option key={i} value={i}>
              Channel {i + 1}, {peak > 0 ? `peak ${whole(20 * Math.log10(peak))} dBFS` : 'silent'}
            </option>
          ))}
        </Select>
      )}
    </Field>
  );
}

function NumberField({ label, value, onChange }: { label: string; value: string; onChange: (text: string) => void }) {
  return (
    <Field label={label}>
      {(id) => (
        <input
          id={id}
          inputMode="decimal"
          className="w-full border border-rule px-2 py-1.5 text-sm hover:border-ink"
          value={value}
          onChange={(event) => onChange(event.target.value.slice(0, 12))}
        />
      )}
    </Field>
  );
}

function MidiFile({
  song,
  onSong,
  onProblem,
}: {
  song: MidiSong | null;
  onSong: (song: MidiSong | null) => void;
  onProblem: (problem: string | null) => void;
}) {
  const open = async (file: File) => {
    try {
      if (file.size > MAX_MIDI_BYTES)
        throw new MidiFileError('This MIDI file is larger than 4 MB, which is the limit.');
      onSong({ name: file.name, sections: readSongFile(new Uint8Array(await file.arrayBuffer())).sections });
      onProblem(null);
    } catch (error) {
      onSong(null);
      onProblem(`${file.name}: ${error instanceof Error ? error.message : 'The file can’t be read.'}`);
    }
  };
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1 text-sm">
      <OpenFileButton
        name="Choose MIDI file"
        accept=".mid,.midi,audio/midi"
        className="border border-ink bg-raised px-3 py-1.5 whitespace-nowrap hover:bg-sheet"
        onFile={(file) => void open(file)}
      >
        Choose MIDI file
      </OpenFileButton>
      {song ? `${song.name}: ${count(song.sections.length, 'section')}` : 'No file chosen'}
    </div>
  );
}
