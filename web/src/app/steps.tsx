import { formatDistanceToNowStrict } from 'date-fns';
import { NavLink } from 'react-router';
import { useSession } from '../studio/session';
import { useFollowers } from '../studio/use-followers';
import { count } from '../words/numbers';
import { signed } from '../parts/words';
import { useLatestTake, useTakeCount } from '../studio/use-takes';
import { alignStatus, worstOf, type Plan } from '../align/align-rows';
import { usePlan } from '../align/use-rows';
import { useLineCheck } from '../views/rig/use-line-check';
import { VIEWS } from './views';

/** The five views in working order, each with a line of status. */
export function Steps() {
  const lines = useStepLines();
  return (
    <nav aria-label="Views" className="print:hidden flex shrink-0 border-b border-rule">
      {VIEWS.map(({ path, name }, i) => (
        <NavLink
          key={path}
          to={path}
          className="flex min-w-0 flex-1 flex-col px-4 py-1.5 max-sm:items-center max-sm:px-1 max-sm:py-2.5 not-last:border-r not-last:border-rule hover:bg-raised aria-[current]:bg-raised aria-[current]:shadow-[inset_0_-3px_0_var(--ink)]"
        >
          <span>
            <b className="text-base">{name}</b> <span className="text-xs text-soft max-sm:hidden">{i + 1}</span>
          </span>
          <span className="truncate text-xs text-soft max-sm:hidden">{lines[path]}</span>
        </NavLink>
      ))}
    </nav>
  );
}

function useStepLines(): Record<(typeof VIEWS)[number]['path'], string> {
  const rig = useSession(({ rig }) => rig);
  const state = useSession(({ snapshot }) => snapshot.state);
  const followers = useFollowers().filter(({ isHeard }) => isHeard);
  const latest = useLatestTake();
  const taken = useTakeCount();
  const { rows } = usePlan();
  const { open } = useLineCheck();
  const toFix = open.filter(({ severity }) => severity === 'wrong').length;
  const locked = followers.filter((follower) => follower.state === 'locked').length;
  return {
    '/rig': `${rig?.demo ? 'demo, ' : ''}${count(rig?.gear.length ?? 0, 'device')}, ${toFix} to fix`,
    '/run': state === 'stopped' ? 'stopped' : `playing, ${locked} of ${followers.length} locked`,
    '/bench': latest ? `last take ${formatDistanceToNowStrict(latest.startedAt)} ago` : 'no takes yet',
    '/align': alignLine(rows, rig?.align.toleranceMs ?? 1),
    '/logbook': count(taken, 'take'),
  };
}

function alignLine(rows: Plan['rows'], toleranceMs: number): string {
  const worst = worstOf(rows);
  const stale = rows.filter((row) => row.stale !== null).length;
  if (!worst) return stale > 0 ? `${stale} out of date` : 'not measured yet';
  const standings = rows.map((row) => alignStatus(row, toleranceMs));
  if (standings.every((one) => one === 'there')) return `confirmed, largest error ${signed(worst.awayMs)} ms`;
  if (standings.every((one) => one === 'there' || one === 'applied')) return 'applied, not confirmed';
  return `largest error ${signed(worst.awayMs)} ms${stale > 0 ? `, ${stale} out of date` : ''}`;
}
