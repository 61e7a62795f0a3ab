import { useEffect, useMemo, useState } from 'react';
import { capture, stopCapture, useCapture } from '../flow-effects/capture-flow';
import { hub } from '../studio/workers';
import { kindOf } from '../hub/message-log';
import type { LoggedMessage, MessageKind } from '../hub/protocol';
import { usePortNames } from '../studio/use-port-names';
import { Button } from '../parts/button';
import { midiWords } from '../parts/midi-words';
import { saveText } from '../parts/save-file';
import { MESSAGE_INKS } from './message-inks';
import { showToast } from '../toasts/toast-store';
import { count, decimal } from '../words/numbers';

const KINDS: readonly MessageKind[] = ['transport', 'timecode', 'notes', 'clock', 'other'];
const KIND_LABELS: Readonly<Record<MessageKind, string>> = {
  transport: 'Transport',
  timecode: 'Timecode',
  notes: 'Notes and controllers',
  clock: 'Clock',
  other: 'Other',
};
const LOOK_EVERY_MS = 200;
const MAX_KEPT = 2000;
const MAX_SHOWN = 150;

/** The message list: filter by device and kind, pause, capture, copy, save. */
export function RibbonPanel() {
  const [paused, setPaused] = useState(false);
  const [kinds, setKinds] = useState<MessageKind[]>(['transport', 'timecode', 'notes', 'other']);
  const [portId, setPortId] = useState('');
  const all = useMessages(paused);
  const nameOf = usePortNames();
  const ports = [...new Set(all.map((one) => one.portId))];
  const shown = useMemo(
    () => all.filter((one) => kinds.includes(kindOf(one.bytes)) && (portId === '' || one.portId === portId)),
    [all, kinds, portId],
  );
  const asText = () =>
    shown
      .map(
        ({ atMs, direction, portId: port, bytes }) =>
          `${(atMs / 1000).toFixed(6)}\t${direction}\t${nameOf(port)}\t${midiWords(bytes)}`,
      )
      .join('\n');
  return (
    <section aria-label="Messages" className="border-b border-rule bg-raised">
      <div className="ruled-b flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-1.5 text-sm">
        {KINDS.map((kind) => (
          <label key={kind} className={`inline-flex items-center gap-1.5 ${MESSAGE_INKS[kind]}`}>
            <input
              type="checkbox"
              className="accent-[var(--ink)]"
              checked={kinds.includes(kind)}
              onChange={() => setKinds(kinds.includes(kind) ? kinds.filter((one) => one !== kind) : [...kinds, kind])}
            />
            {KIND_LABELS[kind]}
          </label>
        ))}
        <select
          aria-label="Filter by device"
          value={portId}
          className="border border-rule px-1 py-0.5"
          onChange={({ target }) => setPortId(target.value)}
        >
          <option value="">All gear</option>
          {ports.map((id) => (
            <option key={id} value={id}>
              {nameOf(id)}
            </option>
          ))}
        </select>
        <span className="ml-auto flex gap-1">
          <Button aria-pressed={paused} onClick={() => setPaused(!paused)}>
            {paused ? 'Resume' : 'Pause'}
          </Button>
          <CaptureButton />
          <Button
            disabled={shown.length === 0}
            onClick={() =>
              void navigator.clipboard
                .writeText(asText())
                .then(() => showToast(`Copied ${count(shown.length, 'message')}.`))
            }
          >
            Copy
          </Button>
          <Button disabled={shown.length === 0} onClick={() => saveText('messages.txt', asText())}>
            Save as text
          </Button>
        </span>
      </div>
      <div className="h-44 overflow-auto px-4 py-1 font-mono text-xs" tabIndex={0} aria-label="Message list" role="log">
        {shown.length === 0 && <p className="font-sans text-soft">No matching messages yet.</p>}
        {shown
          .slice(-MAX_SHOWN)
          .reverse()
          .map(({ number, atMs, direction, portId: port, bytes }) => (
            <p key={number} className={`whitespace-nowrap ${MESSAGE_INKS[kindOf(bytes)]}`}>
              {decimal(atMs / 1000, 4)} {direction === 'in' ? 'in ' : 'out'} {nameOf(port).padEnd(16)}{' '}
              {midiWords(bytes)}
            </p>
          ))}
      </div>
    </section>
  );
}

/** Records every message, to export or play back from the Logbook. */
function CaptureButton() {
  const captured = useCapture((state) => state.captured);
  const nameOf = usePortNames();
  return (
    <Button aria-pressed={captured !== null} onClick={() => (captured === null ? void capture(nameOf) : stopCapture())}>
      {captured === null ? 'Capture' : `Stop capture (${captured})`}
    </Button>
  );
}

/** Recent messages, polled a few times a second instead of rendered one by one. */
function useMessages(paused: boolean): LoggedMessage[] {
  const [messages, setMessages] = useState<LoggedMessage[]>([]);
  useEffect(() => {
    if (paused) return;
    let last = messages.at(-1)?.number ?? 0;
    const look = async () => {
      const more = await hub.messagesAfter(last, MAX_KEPT);
      if (more.length === 0) return;
      last = more.at(-1)?.number ?? last;
      setMessages((before) => [...before, ...more].slice(-MAX_KEPT));
    };
    void look();
    const timer = setInterval(() => void look(), LOOK_EVERY_MS);
    return () => clearInterval(timer);
    // Resuming continues from the messages already shown.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [paused]);
  return messages;
}
