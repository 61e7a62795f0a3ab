import { Trash2 } from 'lucide-react';
import { useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { BlobWriter, TextReader, Uint8ArrayReader, ZipWriter } from '@zip.js/zip.js/index-native.js';
import { writtenNames, moveList, stemMoves, type Stem, type StemOptions } from '../../align/stem-moves';
import { measure } from '../../studio/workers';
import { Button } from '../../parts/button';
import { Check } from '../../parts/check';
import { Notice } from '../../parts/notice';
import { saveFile } from '../../parts/save-file';
import { latenessText } from '../../parts/words';
import { count, decimal, plural, whole } from '../../words/numbers';

const MAX_BYTES = 512 * 2 ** 20;
const MAX_STEMS = 64;

interface OpenStem extends Stem {
  file: File;
}

/** Aligns stems that were recorded one by one, each with the click on one channel. */
export function StemsPanel() {
  const [stems, setStems] = useState<OpenStem[]>([]);
  const [options, setOptions] = useState<StemOptions>({ fractions: false, together: false });
  const [problems, setProblems] = useState<string[]>([]);
  const [busy, setBusy] = useState<string | null>(null);
  const moves = stemMoves(stems, options);
  const ready = stems.filter(({ id }) => moves.get(id) != null);

  const read = async (file: File, clickChannel: number | null) =>
    measure.readStem(new Uint8Array(await file.arrayBuffer()), clickChannel);
  const add = async (files: File[]) => {
    const told: string[] = [];
    let room = MAX_STEMS - stems.length;
    for (const [i, file] of files.entries()) {
      setBusy(`Measuring ${i + 1} of ${files.length}: ${file.name}`);
      try {
        if (file.size > MAX_BYTES) throw new Error('The file is larger than 512 MB. Export a shorter section.');
        if (room-- <= 0) throw new Error(`Limited to ${MAX_STEMS} stems at a time. Save and remove some first.`);
        const reading = await read(file, 0);
        const alone = reading.peaks.length === 1;
        const stem: OpenStem = {
          id: crypto.randomUUID(),
          name: file.name.slice(0, 120),
          file,
          clickChannel: alone ? null : 0,
          knownLateMs: 0,
          reading: alone ? { ...reading, problem: null } : reading,
        };
        setStems((all) => [...all, stem]);
      } catch (error) {
        told.push(
          `${file.name}: ${error instanceof Error ? error.message : 'The file can’t be read. Check that it is a WAV file.'}`,
        );
      }
    }
    setProblems(told);
    setBusy(null);
  };
  const change = (id: string, next: Partial<OpenStem>) =>
    setStems((all) => all.map((one) => (one.id === id ? { ...one, ...next } : one)));
  const setClick = async (stem: OpenStem, clickChannel: number | null) => {
    setBusy(`Measuring ${stem.name}`);
    try {
      change(stem.id, { clickChannel, reading: await read(stem.file, clickChannel) });
    } finally {
      setBusy(null);
    }
  };
  const write = async (stem: OpenStem) => {
    const samples = moves.get(stem.id);
    if (!samples)
      throw new Error(`Latency of ${stem.name} is unknown. Choose its click channel, or enter the latency.`);
    return measure.moveStem(new Uint8Array(await stem.file.arrayBuffer()), { samples });
  };
  const save = async (wanted: OpenStem[]) => {
    try {
      const [only] = wanted;
      if (only && wanted.length === 1) {
        setBusy(`Saving ${only.name}`);
        saveFile(writtenNames(wanted)[0] ?? 'aligned.wav', [(await write(only)) as BlobPart], 'audio/wav');
      } else
        saveFile(
          'Aligned stems.zip',
          [await zipped(wanted, write, setBusy, moveList(wanted, moves))],
          'application/zip',
        );
    } catch (error) {
      setProblems([error instanceof Error ? error.message : 'The file couldn’t be saved. Try again.']);
    } finally {
      setBusy(null);
    }
  };
  const { getRootProps, getInputProps, isDragActive } = useDropzone({ onDrop: (files) => void add(files) });

  return (
    <div className="flex flex-col gap-4 px-5 py-4">
      <p className="max-w-prose text-sm text-soft">
        For stems recorded one pass at a time, each with the hub’s click on one channel. Metronomo measures every stem
        against its click, shifts it by its latency, and saves it as a new file. Your originals stay untouched.
      </p>
      <div
        {...getRootProps({ 'aria-label': 'Drop WAV files here, or choose them' })}
        className={`cursor-pointer border border-dashed px-3 py-5 text-center text-sm ${isDragActive ? 'border-clock bg-band' : 'border-soft hover:border-ink'}`}
      >
        <input {...getInputProps({ accept: '.wav,audio/wav', 'aria-label': 'Stem WAV files' })} />
        {busy ?? 'Drop WAV files here, or choose them'}
      </div>
      {problems.map((problem) => (
        <Notice key={problem}>{problem}</Notice>
      ))}
      {stems.length > 0 && (
        <>
          <table className="w-full text-sm">
            <thead>
              <tr className="ruled-b text-left text-xs text-soft">
                <th className="py-1 font-normal">Stem</th>
                <th className="font-normal">Click channel</th>
                <th className="font-normal">Landing</th>
                <th className="font-normal">Shift</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {stems.map((stem) => (
                <StemRow
                  key={stem.id}
                  stem={stem}
                  samples={moves.get(stem.id) ?? null}
                  busy={busy !== null}
                  onClick={(channel) => void setClick(stem, channel)}
                  onKnown={(knownLateMs) => change(stem.id, { knownLateMs })}
                  onSave={() => void save([stem])}
                  onRemove={() => setStems((all) => all.filter(({ id }) => id !== stem.id))}
                />
              ))}
            </tbody>
          </table>
          <div className="flex flex-wrap items-center gap-x-6 gap-y-2 text-sm">
            <Check
              label="Line up all first clicks"
              checked={options.together}
              onChange={() => setOptions((now) => ({ ...now, together: !now.together }))}
            />
            <Check
              label="Sub-sample precision"
              checked={options.fractions}
              onChange={() => setOptions((now) => ({ ...now, fractions: !now.fractions }))}
            />
            <span className="flex-1" />
            <Button tone="strong" disabled={busy !== null || ready.length === 0} onClick={() => void save(ready)}>
              Save {ready.length === 1 ? 'stem' : `all ${ready.length} with list`}
            </Button>
          </div>
        </>
      )}
    </div>
  );
}

/** One at a time, so that only one stem is in memory beside the output. */
async function zipped(
  stems: readonly OpenStem[],
  write: (stem: OpenStem) => Promise<Uint8Array>,
  say: (words: string) => void,
  list: string,
): Promise<Blob> {
  // Audio hardly gets smaller: stored as it is.
  const zip = new ZipWriter(new BlobWriter('application/zip'), { level: 0, useWebWorkers: false });
  const names = writtenNames(stems);
  for (const [i, stem] of stems.entries()) {
    say(`Saving ${i + 1} of ${stems.length}: ${stem.name}`);
    await zip.add(names[i] ?? stem.id, new Uint8ArrayReader(await write(stem)));
  }
  await zip.add('Stem shifts.csv', new TextReader(list));
  return zip.close();
}

const NO_CLICK = 'none';

function StemRow({
  stem,
  samples,
  busy,
  onClick,
  onKnown,
  onSave,
  onRemove,
}: {
  stem: OpenStem;
  samples: number[] | null;
  busy: boolean;
  onClick: (channel: number | null) => void;
  onKnown: (lateMs: number) => void;
  onSave: () => void;
  onRemove: () => void;
}) {
  const { name, reading, clickChannel, knownLateMs } = stem;
  const { lateMs, doubtMs, problem, sampleRate, seconds, peaks } = reading;
  const by = samples?.find((_, channel) => channel !== clickChannel) ?? null;
  return (
    <tr className="ruled-b align-top">
      <td className="max-w-60 truncate py-2 pr-4" title={name}>
        <b>{name}</b>
        <span className="block text-xs text-soft">
          {decimal(seconds, 1)} s, {count(peaks.length, 'channel')}, {sampleRate / 1000} kHz
        </span>
      </td>
      <td className="py-2 pr-4">
        <select
          aria-label={`Click channel of ${name}`}
          className="border border-rule px-1.5 py-1"
          disabled={busy}
          value={clickChannel ?? NO_CLICK}
          onChange={({ target }) => onClick(target.value === NO_CLICK ? null : Number(target.value))}
        >
          {peaks.length > 1 &&
            peaks.map((_, channel) => (
              <option key={channel} value={channel}>
                Channel {channel + 1}
              </option>
            ))}
          <option value={NO_CLICK}>No click, enter latency</option>
        </select>
      </td>
      <td className="py-2 pr-4">
        {clickChannel === null ? (
          <label className="flex items-center gap-2">
            <input
              inputMode="decimal"
              aria-label={`Latency of ${name}, ms`}
              className="w-20 border border-rule px-2 py-1 text-right"
              defaultValue={knownLateMs}
              maxLength={10}
              onChange={({ target }) => {
                const ms = Number(target.value.replace(',', '.').replace('−', '-'));
                if (Number.isFinite(ms) && Math.abs(ms) <= MAX_KNOWN_MS) onKnown(ms);
              }}
            />
            ms late
          </label>
        ) : (
          lateMs !== null && (
            <>
              {latenessText(lateMs)} <span className="text-soft">± {decimal(doubtMs, 2)}</span>
            </>
          )
        )}
        {problem && <span className="block max-w-80 text-xs text-attention">{problem}</span>}
      </td>
      <td className="py-2 pr-4 whitespace-nowrap">
        {by === null ? (
          <span className="text-soft">unknown</span>
        ) : (
          <>
            {Number.isInteger(by) ? whole(Math.abs(by)) : decimal(Math.abs(by), 3)} {plural(Math.abs(by), 'sample')}{' '}
            {by < 0 ? 'earlier' : by > 0 ? 'later' : ''}
            <span className="block text-xs text-soft">{decimal((Math.abs(by) / sampleRate) * 1000, 2)} ms</span>
          </>
        )}
      </td>
      <td className="py-1.5 text-right whitespace-nowrap">
        <Button disabled={busy || by === null} onClick={onSave}>
          Save
        </Button>
        <Button tone="quiet" aria-label={`Remove ${name}`} onClick={onRemove}>
          <Trash2 size={14} aria-hidden />
        </Button>
      </td>
    </tr>
  );
}

const MAX_KNOWN_MS = 2000;
