import { Download, FolderOpen } from 'lucide-react';
import { useLiveQuery } from 'dexie-react-hooks';
import { useState } from 'react';
import { ValidationError } from 'yup';
import { reportDeleted } from '../../studio/undoable';
import { showToast } from '../../toasts/toast-store';
import { changeRig, switchRig } from '../../studio/rig';
import { Button } from '../../parts/button';
import { ConfirmButton } from '../../parts/confirm-button';
import { Select } from '../../parts/field';
import { OpenFile } from '../../parts/open-file';
import { saveFile } from '../../parts/save-file';
import { useClockFlow } from '../../flow-effects/clock-flow';
import { useTakeFlow } from '../../flow-effects/take-state';
import type { Rig } from '../../store/records';
import { readRigFile, writeRigFile } from '../../files/rig-file';
import { FileError } from '../../files/text-file';
import { createRig, deleteRig, freeRigName, listRigs, resetDemo, saveRig } from '../../store/rigs';

/** Switches, adds, renames, imports and deletes rigs. */
export function RigChooser({ rig }: { rig: Rig }) {
  const rigs = useLiveQuery(listRigs) ?? [];
  const [renaming, setRenaming] = useState(false);
  // A take belongs to the rig it started with.
  const taking = useTakeFlow(({ flow }) => flow.state !== 'idle');
  const listening = useClockFlow(({ flow }) => flow.state !== 'idle');
  const busy = taking || listening;
  const others = rigs.filter(({ id, demo }) => !demo && id !== rig.id);
  const remove = async () => {
    const next = others[0];
    if (!next) return;
    await switchRig(next.id);
    await deleteRig(rig.id);
    reportDeleted(`${rig.name} deleted; its takes are kept`, () => saveRig(rig).then(() => switchRig(rig.id)));
  };
  return (
    <div className="flex min-w-0 flex-wrap items-center gap-1">
      {renaming ? (
        <RenameForm rig={rig} onDone={() => setRenaming(false)} />
      ) : (
        <div className="w-72 max-w-full">
          <label htmlFor="rig-in-use" className="sr-only">
            Current rig
          </label>
          <Select
            id="rig-in-use"
            disabled={busy}
            title={busy ? 'Can’t switch rigs during a take' : undefined}
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
        Add rig
      </Button>
      <RigFileButtons rig={rig} />
      {rig.demo ? (
        <ConfirmButton
          question="Delete all demo takes?"
          confirm="Reset"
          disabled={busy}
          onConfirm={() => void resetDemo().then(() => switchRig('boathouse'))}
        >
          Reset demo
        </ConfirmButton>
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

/** Export to a file, and import as an additional rig. */
function RigFileButtons({ rig }: { rig: Rig }) {
  const save = () => saveFile(`${rig.name}.rig.json`, [writeRigFile(rig)], 'application/json');
  const open = async (file: File) => {
    try {
      const { rig: opened, notes } = readRigFile(await file.text());
      await saveRig({ ...opened, name: await freeRigName(opened.name) });
      await switchRig(opened.id);
      showToast([`Opened ${opened.name}.`, ...notes].join(' '));
    } catch (error) {
      if (!(error instanceof FileError)) throw error;
      showToast(`${error.message} Your rigs are unchanged.`);
    }
  };
  return (
    <>
      <Button tone="quiet" className="!px-1.5" aria-label="Save rig to file" title="Save rig to file" onClick={save}>
        <Download size={16} aria-hidden />
      </Button>
      <OpenFile
        name="Open rig file"
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
      className="w-72"
      onSubmit={(event) => {
        event.preventDefault();
        void rename(String(new FormData(event.currentTarget).get('name') ?? ''));
      }}
    >
      <input
        name="name"
        aria-label="Rig name"
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
