import { Trash2 } from 'lucide-react';
import { useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { Zip, ZipPassThrough } from 'fflate';
import { writtenNames, moveList, stemMoves, type Stem, type StemOptions } from '../../align/stem-moves';
import { measure } from '../../hub/session';
import { Button } from '../../parts/button';
import { Check } from '../../parts/check';
import { Notice } from '../../parts/notice';
import { saveFile } from '../../parts/save-file';
import { lateInWords } from '../../parts/words';

const MOST_BYTES = 512 * 2 ** 20;
const MOST_STEMS = 64;

interface OpenStem extends Stem {
  file: File;
}

/** Parts that were recorded one by one, each with the click beside it: put in time, and written anew. */
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
    let room = MOST_STEMS - stems.length;
    for (const [i, file] of files.entries()) {
      setBusy(`Measuring ${i + 1} of ${files.length}: ${file.name}`);
      try {
        if (file.size > MOST_BYTES) throw new Error('it is larger than 512 MB.');
        if (room-- <= 0) throw new Error(`${MOST_STEMS} parts are the most at once.`);
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
        told.push(`${file.name}: ${error instanceof Error ? error.message : 'it cannot be read.'}`);
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
    if (!samples) throw new Error(`It is not known how late ${stem.name} is.`);
    return measure.moveStem(new Uint8Array(await stem.file.arrayBuffer()), { samples });
  };
  const save = async (wanted: OpenStem[]) => {
    try {
      const [only] = wanted;
      if (only && wanted.length === 1) {
        setBusy(`Writing ${only.name}`);
        saveFile(writtenNames(wanted)[0] ?? 'in time.wav', [(await write(only)) as BlobPart], 'audio/wav');
      } else
        saveFile('Stems in time.zip', await zipped(wanted, write, setBusy, moveList(wanted, moves)), 'application/zip');
    } catch (error) {
      setProblems([error instanceof Error ? error.message : 'It could not be written.']);
    } finally {
      setBusy(null);
    }
  };
  const { getRootProps, getInputProps, isDragActive } = useDropzone({ onDrop: (files) => void add(files) });

  return (
    <div className="flex flex-col gap-4 px-5 py-4">
      <p className="max-w-prose text-sm text-soft">
        Parts that were recorded in passes of their own, one sound at a time, each with the hub’s click on one of its
        channels. Each is measured by its click, moved by as much as it is late, and written anew beside the old one.
      </p>
      <div
        {...getRootProps({ 'aria-label': 'Drop WAV files here, or press to choose them' })}
        className={`cursor-pointer border border-dashed px-3 py-5 text-center text-sm ${isDragActive ? 'border-clock bg-band' : 'border-soft hover:border-ink'}`}
      >
        <input {...getInputProps({ accept: '.wav,audio/wav', 'aria-label': 'WAV files of parts' })} />
        {busy ?? 'Drop WAV files here, or press to choose them'}
      </div>
      {problems.map((problem) => (
        <Notice key={problem}>{problem}</Notice>
      ))}
      {stems.length > 0 && (
        <>
          <div className="flex flex-wrap items-center gap-x-6 gap-y-2 text-sm">
            <Check
              label="all begin at the first click"
              checked={options.together}
              onChange={() => setOptions((now) => ({ ...now, together: !now.together }))}
            />
            <Check
              label="to fractions of a sample, read anew between them"
              checked={options.fractions}
              onChange={() => setOptions((now) => ({ ...now, fractions: !now.fractions }))}
            />
            <span className="flex-1" />
            <Button tone="strong" disabled={busy !== null || ready.length === 0} onClick={() => void save(ready)}>
              Write {ready.length === 1 ? 'it' : `all ${ready.length}, with a list`}
            </Button>
          </div>
          <table className="w-full text-sm">
            <thead>
              <tr className="ruled-b text-left text-xs text-soft">
                <th className="py-1 font-normal">Part</th>
                <th className="font-normal">Its click</th>
                <th className="font-normal">Lands</th>
                <th className="font-normal">Is moved by</th>
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
        </>
      )}
    </div>
  );
}

/** One after the other, so that no more than one part is held at a time beside what is written. */
async function zipped(
  stems: readonly OpenStem[],
  write: (stem: OpenStem) => Promise<Uint8Array>,
  say: (words: string) => void,
  list: string,
): Promise<BlobPart[]> {
  const parts: BlobPart[] = [];
  let problem: Error | null = null;
  const zip = new Zip((error, chunk) => {
    if (error) problem = error;
    else parts.push(chunk as BlobPart);
  });
  const names = writtenNames(stems);
  const entry = (name: string, bytes: Uint8Array) => {
    const file = new ZipPassThrough(name);
    zip.add(file);
    file.push(bytes, true);
  };
  for (const [i, stem] of stems.entries()) {
    say(`Writing ${i + 1} of ${stems.length}: ${stem.name}`);
    entry(names[i] ?? stem.id, await write(stem));
  }
  entry('What was moved.csv', new TextEncoder().encode(list));
  zip.end();
  if (problem) throw problem;
  return parts;
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
          {seconds.toFixed(1)} s, {peaks.length} {peaks.length === 1 ? 'channel' : 'channels'}, {sampleRate / 1000} kHz
        </span>
      </td>
      <td className="py-2 pr-4">
        <select
          aria-label={`Click in ${name}`}
          className="border border-rule px-1.5 py-1"
          disabled={busy}
          value={clickChannel ?? NO_CLICK}
          onChange={({ target }) => onClick(target.value === NO_CLICK ? null : Number(target.value))}
        >
          {peaks.length > 1 &&
            peaks.map((_, channel) => (
              <option key={channel} value={channel}>
                on channel {channel + 1}
              </option>
            ))}
          <option value={NO_CLICK}>none: it is known</option>
        </select>
      </td>
      <td className="py-2 pr-4">
        {clickChannel === null ? (
          <label className="flex items-center gap-2">
            <input
              inputMode="decimal"
              aria-label={`How late ${name} is, ms`}
              className="w-20 border border-rule px-2 py-1 text-right"
              defaultValue={knownLateMs}
              maxLength={10}
              onChange={({ target }) => {
                const ms = Number(target.value.replace(',', '.').replace('−', '-'));
                if (Number.isFinite(ms) && Math.abs(ms) <= MOST_KNOWN_MS) onKnown(ms);
              }}
            />
            ms late
          </label>
        ) : (
          lateMs !== null && (
            <>
              {lateInWords(lateMs)} <span className="text-soft">± {doubtMs.toFixed(2)}</span>
            </>
          )
        )}
        {problem && <span className="block max-w-80 text-xs text-attention">{problem}</span>}
      </td>
      <td className="py-2 pr-4 whitespace-nowrap">
        {by === null ? (
          <span className="text-soft">not known</span>
        ) : (
          <>
            {Number(Math.abs(by).toFixed(3))} samples {by < 0 ? 'earlier' : by > 0 ? 'later' : ''}
            <span className="block text-xs text-soft">{((Math.abs(by) / sampleRate) * 1000).toFixed(2)} ms</span>
          </>
        )}
      </td>
      <td className="py-1.5 text-right whitespace-nowrap">
        <Button disabled={busy || by === null} onClick={onSave}>
          Write
        </Button>
        <Button tone="quiet" aria-label={`Take ${name} away`} onClick={onRemove}>
          <Trash2 size={14} aria-hidden />
        </Button>
      </td>
    </tr>
  );
}

const MOST_KNOWN_MS = 2000;
