import { X } from 'lucide-react';
import { useState } from 'react';
import { Link } from 'react-router';
import { PRACTICE_ID } from '../store/boathouse';
import { useSession } from '../studio/session';
import { useTakesOf } from '../studio/use-takes';

const KEY = 'metronomo.hints-done';

/** Three short hints for a first visit: listen, measure, align. Gone for good once closed. */
export function Hints() {
  const [done, setDone] = useState(() => localStorage.getItem(KEY) !== null);
  const demo = useSession(({ rig }) => rig?.demo === true && rig.id !== PRACTICE_ID);
  const heard = useSession(({ snapshot }) => snapshot.messages > 100);
  const taken = useTakesOf('take', 1).length > 0;
  const [proof] = useTakesOf('proof', 1);
  const proved = proof?.status === 'done';
  const leave = () => {
    localStorage.setItem(KEY, 'yes');
    setDone(true);
  };
  if (done || !demo) return null;
  const now = proved ? 3 : taken ? 2 : heard ? 1 : 0;
  const hints = [
    { to: '/run', text: 'Listen: press Play. Eleven devices sound after the click, each late by a different amount.' },
    { to: '/bench', text: 'Measure: record an eight-bar take on the Bench.' },
    { to: '/align', text: 'Align: one press puts every device in time and confirms it with a Proof.' },
  ];
  return (
    <aside
      aria-label="First steps"
      className="print:hidden flex shrink-0 items-center max-sm:hidden gap-6 border-b border-rule bg-raised px-4 py-1.5 text-sm"
    >
      {now === 3 ? (
        <span className="flex-1">
          Done: everything is measured, aligned and confirmed. Now{' '}
          <Link to="/set-up" className="underline underline-offset-4">
            set up your own gear
          </Link>
          .
        </span>
      ) : (
        <ol className="flex flex-1 flex-wrap gap-x-8">
          {hints.map(({ to, text }, i) => (
            <li
              key={to}
              aria-current={i === now ? 'step' : undefined}
              className={i === now ? 'font-bold' : 'text-soft'}
            >
              {i + 1}{' '}
              <Link to={to} className="underline decoration-rule underline-offset-4 hover:decoration-ink">
                {text}
              </Link>
            </li>
          ))}
        </ol>
      )}
      <button type="button" onClick={leave} aria-label="Close hints" className="p-1 text-soft hover:text-ink">
        <X size={16} />
      </button>
    </aside>
  );
}
