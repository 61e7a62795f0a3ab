import { useRef, useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { useNavigate } from 'react-router';
import { FASTEST_BPM, SLOWEST_BPM } from '@metronomo/core';
import { measure } from '../../studio/workers';
import { useSession } from '../../studio/session';
import type { FileSummary } from '../../measure/protocol';
import { Button } from '../../parts/button';
import { Field, Select } from '../../parts/field';
import { Notice } from '../../parts/notice';
import type { Take, TakeBeats } from '../../store/records';
import { count, decimal, whole } from '../../words/numbers';

const MAX_BYTES = 512 * 2 ** 20;

interface OpenFile extends FileSummary {
  name: string;
  /** Time of opening; resets the form for a new file. */
  opened: number;
}

/** A WAV file: device and click on two channels, or one channel and a known tempo. */
export function RecordingPanel() {
  const [file, setFile] = useState<OpenFile | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const latest = useRef(0);
  const open = async (dropped: File | undefined) => {
    if (!dropped) return;
    const turn = ++latest.current;
    if (dropped.size > MAX_BYTES) {
      setProblem(`${dropped.name} is larger than 512 MB. Export only the section with the beats and drop that.`);
      return;
    }
    setBusy(true);
    try {
      const bytes = new Uint8Array(await dropped.arrayBuffer());
      // Another file was dropped meanwhile; the worker holds only one.
      if (turn !== latest.current) return;
      const summary = await measure.openFile(bytes);
      if (turn !== latest.current) return;
      setFile({ ...summary, name: dropped.name, opened: Date.now() });
      setProblem(null);
    } catch (error) {
      setProblem(
        `${dropped.name}: ${error instanceof Error ? error.message : 'The file can’t be read. Check that it is a WAV file.'}`,
      );
    } finally {
      if (turn === latest.current) setBusy(false);
    }
  };
  const { getRootProps, getInputProps, isDragActive } = useDropzone({
    multiple: false,
    onDrop: ([dropped]) => void open(dropped),
  });
  return (
    <div className="flex flex-col gap-4">
      <div
        {...getRootProps({ 'aria-label': 'Drop a WAV file here, or choose one' })}
        className={`cursor-pointer border border-dashed px-3 py-5 text-center text-sm ${isDragActive ? 'border-clock bg-band' : 'border-soft hover:border-ink'}`}
      >
        <input {...getInputProps({ accept: '.wav,audio/wav', 'aria-label': 'WAV file' })} />
        {busy ? 'Reading…' : (file?.name ?? 'Drop a WAV file here, or choose one')}
      </div>
      {problem && <Notice>{problem}</Notice>}
      {file && !busy && <RecordingForm key={file.opened} file={file} onProblem={setProblem} />}
    </div>
  );
}

function RecordingForm({ file, onProblem }: { file: OpenFile; onProblem: (problem: string | null) => void }) {
  const rig = useSession(({ rig }) => rig);
  const navigate = useNavigate();
  const two = file.peaks.length > 1;
  const [by, setBy] = useState<'click' | 'tempo'>(two ? 'click' : 'tempo');
  const [clickChannel, setClickChannel] = useState(0);
  const [gearChannel, setGearChannel] = useState(two ? 1 : 0);
  const [tempo, setTempo] = useState(String(rig?.bpm ?? 120));
  const [firstBeat, setFirstBeat] = useState('0');
  const [gearId, setGearId] = useState('');
  const [busy, setBusy] = useState(false);
  const bpm = Number(tempo.replace(',', '.'));
  const firstBeatMs = Number(firstBeat.replace(',', '.'));
  const fits =
    by === 'click'
      ? clickChannel !== gearChannel
      : bpm >= SLOWEST_BPM && bpm <= FASTEST_BPM && Number.isFinite(firstBeatMs);

  const run = async () => {
    if (!rig) return;
    const beats: TakeBeats = by === 'click' ? { clickChannel } : { bpm, firstBeatMs };
    const gear = rig.gear.find(({ id }) => id === gearId);
    setBusy(true);
    try {
      const take: Take = {
        id: crypto.randomUUID(),
        rigId: rig.id,
        startedAt: Date.now(),
        source: 'recording',
        kind: 'recording',
        gearIds: gear ? [gear.id] : [],
        proof: false,
        status: 'done',
        sampleRate: file.sampleRate,
        frames: 0,
        bpm: by === 'tempo' ? bpm : null,
        drive: null,
        input: file.name.slice(0, 120),
        beats,
        lines: [
          {
            gearId: gear?.id ?? null,
            name: gear?.name ?? file.name.slice(0, 60),
            channel: gearChannel,
            offsetMs: gear?.offsetMs ?? 0,
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
        {...(gearId && { hint: 'Assumes the device’s current offset was active during the recording' })}
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
      <ChannelSelect label="Device" file={file} value={gearChannel} onChange={setGearChannel} />
      <Field label="Beat reference">
        {(id) => (
          <Select id={id} value={by} onChange={(event) => setBy(event.target.value as 'click' | 'tempo')}>
            <option value="click" disabled={!two}>
              Click on another channel
            </option>
            <option value="tempo">Fixed tempo</option>
          </Select>
        )}
      </Field>
      {by === 'click' ? (
        <ChannelSelect label="Click" file={file} value={clickChannel} onChange={setClickChannel} />
      ) : (
        <div className="grid grid-cols-2 gap-3">
          <NumberField label="Tempo, BPM" value={tempo} onChange={setTempo} />
          <NumberField label="First beat, ms" value={firstBeat} onChange={setFirstBeat} />
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
