import { HUB_ID } from '@metronomo/core';
import { bestLeader, type LeaderFigures } from '../store/leader-figures';
import { count, decimal } from '../words/numbers';
import { signed } from './words';

interface Aspect {
  title: string;
  /** Null if it wasn't measured. */
  tell: (one: LeaderFigures) => string | null;
  /** The hub's own clock is the reference, so there is nothing to measure it against. */
  notOfHub?: boolean;
}

/** What makes a good leader, as rows of a table. */
export const LEADER_ASPECTS: readonly Aspect[] = [
  {
    title: 'Follower that varies most',
    tell: ({ followers }) => followers && `${followers.worst}, jitter ${decimal(followers.jitterMs, 2)} ms`,
  },
  {
    title: 'Start-to-start spread',
    tell: ({ starts }) =>
      starts &&
      `${starts.worst}, ${decimal(starts.spreadMs, 1)} ms${starts.failed > 0 ? `, ${count(starts.failed, 'failed start')}` : ''}`,
  },
  { title: 'Clock jitter', tell: ({ clock }) => clock && `${decimal(clock.jitterMs, 2)} ms`, notOfHub: true },
  {
    title: 'Clock drift',
    tell: ({ clock }) => clock && (clock.drifts ? `${signed(clock.ppm)} ppm` : 'not measurable'),
    notOfHub: true,
  },
  {
    title: 'Clock jitter with notes',
    tell: ({ busy }) => busy && `${decimal(busy.jitterMs, 2)} ms`,
    notOfHub: true,
  },
];

/** A cell of that table. */
export function aspectText({ tell, notOfHub = false }: Aspect, one: LeaderFigures): string {
  return tell(one) ?? (notOfHub && one.id === HUB_ID ? 'the hub is the reference' : 'not measured');
}

/** The best leader, and by how much. */
export function trialVerdict(figures: readonly LeaderFigures[], nameOf: (id: string) => string): string {
  const measured = figures.flatMap(({ id, followers }) => (followers ? [{ id, ...followers }] : []));
  if (measured.length === 0) return 'Nothing measured yet. Start a trial, or record takes while each candidate leads.';
  const told = measured.map(({ id, worst, jitterMs }) => `${nameOf(id)} ${decimal(jitterMs, 2)} ms (${worst})`);
  if (measured.length === 1) return `Only one leader measured so far: ${told.join('')}. Measure another to compare.`;
  const best = bestLeader(figures);
  return best
    ? `${nameOf(best.id)} leads best: its followers vary least. Largest jitter: ${told.join(', ')}.`
    : `No clear difference. Largest jitter of a follower: ${told.join(', ')}. Choose whichever suits the session.`;
}

/** The reasons for and against one leader in a sentence or two; null if nothing was measured. */
export function measuredText(one: LeaderFigures): string | null {
  const known = LEADER_ASPECTS.flatMap(({ title, tell }) => {
    const told = tell(one);
    return told === null ? [] : [`${title.toLowerCase()}: ${told}`];
  });
  if (known.length === 0) return null;
  const missing = LEADER_ASPECTS.filter(({ tell, notOfHub }) => tell(one) === null && !(notOfHub && one.id === HUB_ID));
  const not = missing.length > 0 ? ` Not measured: ${missing.map(({ title }) => title.toLowerCase()).join(', ')}.` : '';
  return `Measured: ${known.join('; ')}.${not}`;
}
