import useSWR from 'swr';
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
  ['?', 'Help for this view'],
];

/** Shortcuts and theme. */
export function ShortcutsPage() {
  const singleKeys = useSingleKeys(({ on }) => on);
  const { data: status } = useSWR<ServerStatus>('/api/status', readJson);
  return (
    <>
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
      <p className="mb-4 text-xs text-soft">T, D, M, 1 to 5, ?, and 0 + − in Align. Turn them off for speech input.</p>
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
    </>
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
