import { ChevronDown, ChevronUp, CircleHelp } from 'lucide-react';
import { Suspense, useState } from 'react';
import { useLocation } from 'react-router';
import { openHelp, pageFor } from '../parts/help';
import { useSession } from '../studio/session';
import { midiWords } from '../parts/midi-words';
import { usePortNames } from '../studio/use-port-names';
import { MESSAGE_INKS } from './message-inks';
import { lazyView } from '../parts/lazy-view';
import { count } from '../words/numbers';

export const messages = lazyView(() => import('./ribbon-panel').then(({ RibbonPanel }) => RibbonPanel));

/** The last messages in and out: one line, or expanded to a list; never blocks the clock. */
export function Ribbon() {
  const ribbon = useSession(({ ribbon }) => ribbon);
  const [open, setOpen] = useState(false);
  const nameOf = usePortNames();
  return (
    <footer className="shrink-0 border-t border-rule print:hidden">
      {open && (
        <Suspense>
          <messages.View />
        </Suspense>
      )}
      <div className="flex h-8 items-center gap-6 overflow-hidden px-4 text-xs">
        <button
          type="button"
          aria-expanded={open}
          onClick={() => setOpen(!open)}
          className="flex items-center gap-1 text-soft hover:text-ink"
        >
          {open ? <ChevronDown size={14} aria-hidden /> : <ChevronUp size={14} aria-hidden />} Messages
        </button>
        <div className="flex min-w-0 flex-1 gap-6 overflow-hidden font-mono whitespace-nowrap">
          {!open &&
            ribbon.map((line) => (
              <span key={`${line.direction} ${line.portId} ${line.kind}`} className={MESSAGE_INKS[line.kind]}>
                {line.direction} {nameOf(line.portId)} {midiWords(line.bytes)}
              </span>
            ))}
        </div>
        <SentCount />
        <HelpButton />
      </div>
    </footer>
  );
}

function HelpButton() {
  const { pathname } = useLocation();
  return (
    <button
      type="button"
      onClick={() => openHelp(pageFor(pathname))}
      className="flex shrink-0 items-center gap-1 py-1 text-soft hover:text-ink"
    >
      <CircleHelp size={14} aria-hidden /> Help
    </button>
  );
}

function SentCount() {
  const messages = useSession(({ snapshot }) => snapshot.messages);
  return <span className="shrink-0 text-soft">{count(messages, 'message')} sent</span>;
}
