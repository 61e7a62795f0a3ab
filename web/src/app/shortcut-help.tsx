import { Dialog } from 'radix-ui';
import useSWR from 'swr';
import { Button } from '../parts/button';
import { setSingleKeys, useSingleKeys } from '../parts/keys-in-use';
import { applySheet, chosenSheet, type SheetChoice } from './sheet';
import { Field, Select } from '../parts/field';

const KEYS = [
  ['Space', 'Play / stop'],
  ['Home', 'Go to start'],
  ['T', 'Tap tempo'],
  ['D', 'Start on my downbeat'],
  ['1 to 5', 'Switch view'],
  ['M', 'Start a take on the Bench'],
  ['← →', 'Align: nudge the selected row 0.1 ms earlier or later (Shift: 1 ms, Alt: 1 sample)'],
  ['Ctrl or Cmd + Z', 'Undo (Shift: redo)'],
  ['?', 'Show this help'],
];

/** Shortcuts and theme; not modal, because playback may be running. */
export function ShortcutHelp({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const singleKeys = useSingleKeys(({ on }) => on);
  const { data: status } = useSWR<ServerStatus>(open ? '/api/status' : null, readJson);
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange} modal={false}>
      <Dialog.Content
        aria-describedby={undefined}
        className="fixed top-36 right-4 z-10 w-96 border border-ink bg-raised p-5 shadow-md"
      >
        <Dialog.Title className="mb-3 text-lg font-bold">Shortcuts and theme</Dialog.Title>
        <dl className="mb-4 grid grid-cols-[auto_1fr] gap-x-4 gap-y-1.5 text-sm">
          {KEYS.map(([key, does]) => (
            <div key={key} className="contents">
              <dt className="font-mono">{key}</dt>
              <dd className="text-soft">{does}</dd>
            </div>
          ))}
        </dl>
        <label className="mb-1 flex items-center gap-2 text-sm">
          <input
            type="checkbox"
            className="size-4 accent-[var(--ink)]"
            checked={singleKeys}
            onChange={({ target }) => setSingleKeys(target.checked)}
          />
          Single-key shortcuts
        </label>
        <p className="mb-4 text-xs text-soft">T, M, 1 to 5, ?, and 0 + − in Align. Turn them off for speech input.</p>
        <Field label="Theme">
          {(id) => (
            <Select
              id={id}
              defaultValue={chosenSheet()}
              onChange={(event) => applySheet(event.target.value as SheetChoice)}
            >
              <option value="system">System</option>
              <option value="paper">Light</option>
              <option value="night">Dark</option>
            </Select>
          )}
        </Field>
        <p className="mt-4 text-xs text-soft">{serverText(status)}</p>
        <Dialog.Close asChild>
          <Button className="mt-4">Close</Button>
        </Dialog.Close>
      </Dialog.Content>
    </Dialog.Root>
  );
}

interface ServerStatus {
  version: string;
}

async function readJson(url: string): Promise<ServerStatus> {
  const response = await fetch(url);
  if (!response.ok) throw new Error(`The server answered ${response.status}.`);
  return (await response.json()) as ServerStatus;
}

function serverText(status: ServerStatus | undefined): string {
  return status ? `Metronomo ${status.version}` : 'Server not reachable. Everything except network MIDI still works.';
}
