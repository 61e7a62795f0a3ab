import { Download, FolderOpen } from 'lucide-react';
import { useLiveQuery } from 'dexie-react-hooks';
import { useState } from 'react';
import { ValidationError } from 'yup';
import { tell } from '../../app/toast-store';
import { changeRig, switchRig } from '../../hub/session';
import { Button } from '../../parts/button';
import { Select } from '../../parts/field';
import { OpenFile } from '../../parts/open-file';
import { saveFile } from '../../parts/save-file';
import { useClockFlow } from '../../measure/clock-flow';
import { useTakeFlow } from '../../measure/take-parts';
import type { Rig } from '../../store/records';
import { readRigFile, writeRigFile } from '../../files/rig-file';
import { FileError } from '../../files/text-file';
import { createRig, deleteRig, freeRigName, listRigs, resetDemo, saveRig } from '../../store/rigs';

/** Which rig is in use, and what can be done with rigs as a whole. */
export function RigChooser({ rig }: { rig: Rig }) {
  const rigs = useLiveQuery(listRigs) ?? [];
  const [renaming, setRenaming] = useState(false);
  // A take is kept with the rig that it began with.
  const taking = useTakeFlow(({ flow }) => flow.state !== 'idle');
  const listening = useClockFlow(({ flow }) => flow.state !== 'idle');
  const busy = taking || listening;
  const others = rigs.filter(({ id, demo }) => !demo && id !== rig.id);
  const remove = async () => {
    const next = others[0];
    if (!next) return;
    await switchRig(next.id);
    await deleteRig(rig.id);
    tell(`${rig.name} was deleted. Its takes are kept.`, () => void saveRig(rig).then(() => switchRig(rig.id)));
  };
  return (
    <div className="flex items-center gap-1">
      {renaming ? (
        <RenameForm rig={rig} onDone={() => setRenaming(false)} />
      ) : (
        <div className="w-68">
          <label htmlFor="rig-in-use" className="sr-only">
            Rig in use
          </label>
          <Select
            id="rig-in-use"
            disabled={busy}
            title={busy ? 'A take is under way' : undefined}
            value={rig.id}
            onChange={({ target }) => void switchRig(target.value)}
          >
            {rigs.map(({ id, name, demo }) => (
              <option key={id} value={id}>
                {demo ? `${name} (demo)` : name}
              </option>
            ))}
          </Select>
        </div>
      )}
      <Button tone="quiet" disabled={busy} onClick={() => void createRig().then(switchRig)}>
        New rig
      </Button>
      <RigFileButtons rig={rig} />
      {rig.demo ? (
        <Button tone="quiet" disabled={busy} onClick={() => void resetDemo().then(() => switchRig(rig.id))}>
          Reset demo
        </Button>
      ) : (
        <>
          <Button tone="quiet" onClick={() => setRenaming(true)}>
            Rename
          </Button>
          {others.length > 0 && (
            <Button tone="quiet" onClick={() => void remove()}>
              Delete rig
            </Button>
          )}
        </>
      )}
    </div>
  );
}

/** Out to a file, and in from one; what comes in stands beside the rigs that are there. */
function RigFileButtons({ rig }: { rig: Rig }) {
  const save = () => saveFile(`${rig.name}.rig.json`, [writeRigFile(rig)], 'application/json');
  const open = async (file: File) => {
    try {
      const { rig: opened, notes } = readRigFile(await file.text());
      await saveRig({ ...opened, name: await freeRigName(opened.name) });
      await switchRig(opened.id);
      tell([`${opened.name} was opened.`, ...notes].join(' '));
    } catch (error) {
      if (!(error instanceof FileError)) throw error;
      tell(`${error.message} Nothing was changed.`);
    }
  };
  return (
    <>
      <Button
        tone="quiet"
        className="!px-1.5"
        aria-label="Save this rig as a file"
        title="Save as a file"
        onClick={save}
      >
        <Download size={16} aria-hidden />
      </Button>
      <OpenFile
        name="Open a rig file"
        accept=".json,application/json"
        className="px-1.5 py-1.5 text-soft hover:text-ink"
        onFile={(file) => void open(file)}
      >
        <FolderOpen size={16} aria-hidden />
      </OpenFile>
    </>
  );
}

function RenameForm({ rig, onDone }: { rig: Rig; onDone: () => void }) {
  const [problem, setProblem] = useState<string | null>(null);
  const rename = async (name: string) => {
    try {
      if (name.trim() !== rig.name) await changeRig((before) => ({ ...before, name: name.trim() }));
      onDone();
    } catch (error) {
      if (!(error instanceof ValidationError)) throw error;
      setProblem(error.message);
    }
  };
  return (
    <form
      className="w-68"
      onSubmit={(event) => {
        event.preventDefault();
        void rename(String(new FormData(event.currentTarget).get('name') ?? ''));
      }}
    >
      <input
        name="name"
        aria-label="Name of the rig"
        aria-invalid={problem !== null}
        autoFocus
        defaultValue={rig.name}
        maxLength={80}
        className="w-full border border-ink px-2 py-1.5 text-sm"
        onKeyDown={({ key }) => {
          if (key === 'Escape') onDone();
        }}
      />
      {problem && (
        <p role="alert" className="text-xs text-wrong">
          {problem}
        </p>
      )}
    </form>
  );
}
