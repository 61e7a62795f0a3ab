import { useEffect, useMemo, useState } from 'react';
import { capture, stopCapture, useCapture } from '../hub/capture-flow';
import { hub } from '../hub/session';
import { kindOf } from '../hub/message-log';
import type { LoggedMessage, MessageKind } from '../hub/protocol';
import { usePortNames } from '../hub/use-port-names';
import { Button } from '../parts/button';
import { midiWords } from '../parts/midi-words';
import { saveText } from '../parts/save-file';
import { MESSAGE_INKS } from './message-inks';
import { tell } from './toast-store';

const KINDS: readonly MessageKind[] = ['transport', 'timecode', 'notes', 'clock', 'other'];
const LOOK_EVERY_MS = 200;
const MOST_KEPT = 2000;
const MOST_SHOWN = 150;

/** The messages as a list: filtered by gear and kind, paused, copied, exported. */
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
            {kind}
          </label>
        ))}
        <select
          aria-label="Messages of"
          value={portId}
          className="border border-rule px-1 py-0.5"
          onChange={({ target }) => setPortId(target.value)}
        >
          <option value="">all gear</option>
          {ports.map((id) => (
            <option key={id} value={id}>
              {nameOf(id)}
            </option>
          ))}
        </select>
        <span className="ml-auto flex gap-1">
          <Button aria-pressed={paused} onClick={() => setPaused(!paused)}>
            {paused ? 'Go on' : 'Pause'}
          </Button>
          <CaptureButton />
          <Button
            disabled={shown.length === 0}
            onClick={() =>
              void navigator.clipboard.writeText(asText()).then(() => tell(`${shown.length} messages copied.`))
            }
          >
            Copy
          </Button>
          <Button disabled={shown.length === 0} onClick={() => saveText('messages.txt', asText())}>
            Save as text
          </Button>
        </span>
      </div>
      <div
        className="h-44 overflow-auto px-4 py-1 font-mono text-xs"
        tabIndex={0}
        aria-label="List of messages"
        role="log"
      >
        {shown.length === 0 && <p className="font-sans text-soft">Nothing of that has passed yet.</p>}
        {shown
          .slice(-MOST_SHOWN)
          .reverse()
          .map(({ number, atMs, direction, portId: port, bytes }) => (
            <p key={number} className={`whitespace-nowrap ${MESSAGE_INKS[kindOf(bytes)]}`}>
              {(atMs / 1000).toFixed(4)} {direction === 'in' ? 'in ' : 'out'} {nameOf(port).padEnd(16)}{' '}
              {midiWords(bytes)}
            </p>
          ))}
      </div>
    </section>
  );
}

/** Keeps every message whole, to be saved or played back from the logbook. */
function CaptureButton() {
  const captured = useCapture((state) => state.captured);
  const nameOf = usePortNames();
  return (
    <Button aria-pressed={captured !== null} onClick={() => (captured === null ? void capture(nameOf) : stopCapture())}>
      {captured === null ? 'Capture' : `Stop capturing (${captured})`}
    </Button>
  );
}

/** The newest messages, asked for a few times a second and not one by one; paused, they stand still. */
function useMessages(paused: boolean): LoggedMessage[] {
  const [messages, setMessages] = useState<LoggedMessage[]>([]);
  useEffect(() => {
    if (paused) return;
    let last = messages.at(-1)?.number ?? 0;
    const look = async () => {
      const more = await hub.messagesAfter(last, MOST_KEPT);
      if (more.length === 0) return;
      last = more.at(-1)?.number ?? last;
      setMessages((before) => [...before, ...more].slice(-MOST_KEPT));
    };
    void look();
    const timer = setInterval(() => void look(), LOOK_EVERY_MS);
    return () => clearInterval(timer);
    // What is kept goes on from where it was when it was paused.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [paused]);
  return messages;
}
