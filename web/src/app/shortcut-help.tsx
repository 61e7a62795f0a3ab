import { Dialog } from 'radix-ui';
import useSWR from 'swr';
import { Button } from '../parts/button';
import { applySheet, chosenSheet, type SheetChoice } from './sheet';
import { Field, Select } from '../parts/field';

const KEYS = [
  ['Space', 'Play and stop'],
  ['Home', 'Back to the start'],
  ['T', 'Tap the tempo'],
  ['1 to 5', 'Open a view'],
  ['M', 'Start a take on the Bench'],
  ['← →', 'On a row in Align: 0.1 ms earlier, later; with Shift 1 ms, with Alt one sample'],
  ['Ctrl or Cmd + Z', 'Undo; with Shift, redo'],
  ['?', 'This page'],
];

/** Keys and sheet; not modal, for time may be running. */
export function ShortcutHelp({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const { data: status } = useSWR<ServerStatus>(open ? '/api/status' : null, readJson);
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange} modal={false}>
      <Dialog.Content
        aria-describedby={undefined}
        className="fixed top-36 right-4 z-10 w-96 border border-ink bg-raised p-5 shadow-md"
      >
        <Dialog.Title className="mb-3 text-lg font-bold">Keys and sheet</Dialog.Title>
        <dl className="mb-4 grid grid-cols-[auto_1fr] gap-x-4 gap-y-1.5 text-sm">
          {KEYS.map(([key, does]) => (
            <div key={key} className="contents">
              <dt className="font-mono">{key}</dt>
              <dd className="text-soft">{does}</dd>
            </div>
          ))}
        </dl>
        <Field label="Sheet">
          {(id) => (
            <Select
              id={id}
              defaultValue={chosenSheet()}
              onChange={(event) => applySheet(event.target.value as SheetChoice)}
            >
              <option value="system">As the system has it</option>
              <option value="paper">Paper</option>
              <option value="night">Night</option>
            </Select>
          )}
        </Field>
        <p className="mt-4 text-xs text-soft">{serverInWords(status)}</p>
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

function serverInWords(status: ServerStatus | undefined): string {
  return status ? `Served by Metronomo ${status.version}.` : 'No server is reached. Everything here works without it.';
}
