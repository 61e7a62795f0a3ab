import { useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { cancelFiles, lookInto, saveAll, useFilesFlow } from '../../files/files-flow';
import { openAny } from '../../files/open-any';
import { writeRigFile } from '../../files/rig-file';
import { Button } from '../../parts/button';
import { Notice } from '../../parts/notice';
import { saveFile } from '../../parts/save-file';
import type { Rig } from '../../store/records';
import { useTakes } from '../../store/use-takes';
import { AsidePanel } from './aside-panel';
import { saveBeats } from './save-entry';
import { StreamList } from './stream-list';

const ACCEPTED = '.zip,.json,.csv,.mid,.midi,.txt,.wav';

/** Everything leaves in open formats, and comes in again; what comes in is looked at first. */
export function FilesPanel({ rig }: { rig: Rig }) {
  const { flow, problem } = useFilesFlow();
  return (
    <div className="grid grid-cols-1 gap-8 px-5 py-4 lg:grid-cols-[minmax(300px,380px)_1fr]">
      <div className="flex flex-col gap-6">
        <Outward rig={rig} />
        <Inward rig={rig} />
      </div>
      <div className="flex min-w-0 flex-col gap-6">
        {problem && <Notice>{problem} Nothing was changed.</Notice>}
        {flow.state === 'working' && <Working {...flow} />}
        {flow.state === 'looking' && <AsidePanel aside={flow.aside} fileName={flow.fileName} />}
        <StreamList rig={rig} />
      </div>
    </div>
  );
}

function Outward({ rig }: { rig: Rig }) {
  const takes = useTakes();
  const busy = useFilesFlow(({ flow }) => flow.state !== 'idle');
  const name = rig.name.replaceAll(/[^\p{L}\p{N} -]/gu, '');
  return (
    <section className="flex flex-col items-start gap-2" aria-label="Out">
      <h2 className="text-lg font-bold">Out</h2>
      <Button tone="strong" disabled={busy} onClick={() => void saveAll(rig.demo ? 'demo' : 'own')}>
        {rig.demo ? 'All of the demo as one ZIP' : 'Everything of mine as one ZIP'}
      </Button>
      <p className="text-sm text-soft">
        Rigs, takes with their sound (WAV) and raw data, clocks, sets, captured messages and this logbook, in open
        formats. {rig.demo ? 'One’s own data are not in it.' : 'The demo is not in it.'}
      </p>
      <Button onClick={() => saveFile(`${name}.rig.json`, [writeRigFile(rig)], 'application/json')}>
        This rig, with offsets and checklists (JSON)
      </Button>
      <Button
        disabled={takes.length === 0}
        onClick={() =>
          void saveBeats(
            takes.map(({ id }) => id),
            `${name} beats`,
          )
        }
      >
        Beats of the last {takes.length > 0 ? takes.length : ''} takes (CSV)
      </Button>
      <Button onClick={() => window.print()}>Print a report for the wall</Button>
      <p className="text-sm text-soft">
        Single takes are saved from the History, charts from the Bench (PNG, SVG), the song from Run (MIDI file).
      </p>
    </section>
  );
}

function Inward({ rig }: { rig: Rig }) {
  const busy = useFilesFlow(({ flow }) => flow.state !== 'idle');
  const [over, setOver] = useState(false);
  const take = async (file: File | undefined) => {
    if (!file) return;
    if (await openAny(file, rig)) await lookInto(file);
  };
  const { getRootProps, getInputProps, open } = useDropzone({
    noClick: true,
    noKeyboard: true,
    multiple: false,
    disabled: busy,
    onDrop: ([file]) => void take(file),
    onDragEnter: () => setOver(true),
    onDragLeave: () => setOver(false),
    onDropAccepted: () => setOver(false),
  });
  return (
    <section
      {...getRootProps({ role: 'region' })}
      aria-label="In"
      className={`flex flex-col items-start gap-2 border border-dashed p-4 ${over ? 'border-ink bg-raised' : 'border-rule'}`}
    >
      <h2 className="text-lg font-bold">In</h2>
      <Button disabled={busy} onClick={open}>
        Open a file …
      </Button>
      <input {...getInputProps()} accept={ACCEPTED} aria-label="A file to open" />
      <p className="text-sm text-soft">
        Or drop one here: a ZIP of all data, a rig, a take, a table of beats with the columns gear, due_ms and late_ms,
        or messages as text or as a MIDI file. What it is is told by what is in it.
      </p>
    </section>
  );
}

function Working({ doing, done, all }: { doing: string; done: number; all: number }) {
  return (
    <div className="flex items-center gap-4 border border-rule bg-raised px-4 py-3 text-sm" role="status">
      <span>
        {doing} … {all > 0 && `${done} of ${all}`}
      </span>
      <progress className="flex-1 accent-[var(--ink)]" max={Math.max(1, all)} value={done} aria-label={doing} />
      <Button onClick={cancelFiles}>End it</Button>
    </div>
  );
}
