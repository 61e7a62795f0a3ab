import { useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { cancelFiles, previewFile, saveAll, useFilesFlow } from '../../files/files-flow';
import { openAny } from '../../files/open-any';
import { writeRigFile } from '../../files/rig-file';
import { Button } from '../../parts/button';
import { count } from '../../words/numbers';
import { Notice } from '../../parts/notice';
import { saveFile } from '../../parts/save-file';
import type { Rig } from '../../store/records';
import { useTakes } from '../../studio/use-takes';
import { ImportPreview } from './import-preview';
import { saveBeats } from './save-entry';
import { StreamList } from './stream-list';

const ACCEPTED = '.zip,.json,.csv,.mid,.midi,.txt,.wav';

/** Import with a preview, and export in open formats. */
export function FilesPanel({ rig }: { rig: Rig }) {
  const { flow, problem } = useFilesFlow();
  return (
    <div className="flex flex-col gap-6 px-5 py-4">
      <Import rig={rig} />
      {problem && <Notice>{problem} Your data hasn’t changed.</Notice>}
      {flow.state === 'working' && <Working {...flow} />}
      {flow.state === 'looking' && <ImportPreview aside={flow.aside} fileName={flow.fileName} />}
      <div className="grid grid-cols-1 gap-8 lg:grid-cols-[minmax(300px,420px)_1fr]">
        <Export rig={rig} />
        <StreamList rig={rig} />
      </div>
    </div>
  );
}

function Export({ rig }: { rig: Rig }) {
  const takes = useTakes();
  const busy = useFilesFlow(({ flow }) => flow.state !== 'idle');
  const name = rig.name.replaceAll(/[^\p{L}\p{N} -]/gu, '');
  return (
    <section className="flex flex-col gap-3 text-sm" aria-label="Export">
      <h2 className="text-lg font-bold">Export</h2>
      <ExportGroup
        name="Everything"
        note={`Rigs, takes with audio (WAV) and raw data, clock takes, offset sets, captured messages and the Logbook, all in open formats. ${rig.demo ? 'Doesn’t include your own data.' : 'Doesn’t include the demo.'}`}
      >
        <Button tone="strong" disabled={busy} onClick={() => void saveAll(rig.demo ? 'demo' : 'own')}>
          {rig.demo ? 'Export the demo (ZIP)' : 'Export all my data (ZIP)'}
        </Button>
      </ExportGroup>
      <ExportGroup name="This rig" note="Includes offsets and checklists.">
        <Button onClick={() => saveFile(`${name}.rig.json`, [writeRigFile(rig)], 'application/json')}>
          Export this rig (JSON)
        </Button>
      </ExportGroup>
      <ExportGroup
        name="Takes"
        note={`${takes.length > 0 ? `Last ${count(takes.length, 'take')}.` : 'No takes yet.'} Export single takes from History, charts from the Bench and Trend (PNG, SVG), and the song from Run (MIDI file).`}
      >
        <Button
          disabled={takes.length === 0}
          onClick={() =>
            void saveBeats(
              takes.map(({ id }) => id),
              `${name} beats`,
            )
          }
        >
          Export beats (CSV)
        </Button>
      </ExportGroup>
      <ExportGroup name="Print" note="Leader, offsets and device settings on one sheet.">
        <Button onClick={() => window.print()}>Print session sheet</Button>
      </ExportGroup>
    </section>
  );
}

function ExportGroup({ name, note, children }: { name: string; note: string; children: React.ReactNode }) {
  return (
    <div className="ruled-t flex flex-col items-start gap-1.5 pt-2">
      <h3 className="text-xs text-soft">{name}</h3>
      {children}
      <p className="text-soft">{note}</p>
    </div>
  );
}

function Import({ rig }: { rig: Rig }) {
  const busy = useFilesFlow(({ flow }) => flow.state !== 'idle');
  const [over, setOver] = useState(false);
  const take = async (file: File | undefined) => {
    if (!file) return;
    if (await openAny(file, rig)) await previewFile(file);
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
      aria-label="Import"
      className={`flex flex-col items-start gap-2 border border-dashed p-4 ${over ? 'border-ink bg-raised' : 'border-rule'}`}
    >
      <h2 className="text-lg font-bold">Import</h2>
      <Button disabled={busy} onClick={open}>
        Choose file…
      </Button>
      <input {...getInputProps()} accept={ACCEPTED} aria-label="File to import" />
      <p className="text-sm text-soft">
        Or drop one here: a Metronomo ZIP, a rig, a take, captured messages (text or MIDI file), or a CSV of beats with
        the columns gear, due_ms and late_ms. The type is detected from the contents.
      </p>
    </section>
  );
}

function Working({ doing, done, all }: { doing: string; done: number; all: number }) {
  return (
    <div className="flex items-center gap-4 border border-rule bg-raised px-4 py-3 text-sm" role="status">
      <span>
        {doing}… {all > 0 && `${done} of ${all}`}
      </span>
      <progress className="flex-1 accent-[var(--ink)]" max={Math.max(1, all)} value={done} aria-label={doing} />
      <Button onClick={cancelFiles}>Cancel</Button>
    </div>
  );
}
