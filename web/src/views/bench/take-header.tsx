import { Copy, Trash2 } from 'lucide-react';
import { useMemo } from 'react';
import { useNavigate } from 'react-router';
import { reportDeleted } from '../../studio/undoable';
import { showToast } from '../../toasts/toast-store';
import { Button } from '../../parts/button';
import { database } from '../../store/database';
import type { Take, TakeKind } from '../../store/records';
import { deleteTake } from '../../store/takes';
import { useTakeHeads } from '../../studio/use-takes';
import { decimal, whole } from '../../words/numbers';
import { PLAYED_BY } from '../../parts/take-words';
import { exactDayAndTime, dayAndTime } from '../../parts/dates';

/** Label and value. */
export type Row = [string, string];

const LONGEST_NOTE = 200;

/** The take's title, conditions and note; switch to another take, copy the results, delete. */
export function TakeHeader({ take, title, rows }: { take: Take; title: string; rows: Row[] }) {
  const question = take.plan?.question;
  const kinds = useMemo((): TakeKind[] => (question ? [question] : ['take', 'proof', 'recording']), [question]);
  const heads = useTakeHeads(kinds);
  const { id, kind, startedAt } = take;
  // One that storage has no room for counts as unfinished there.
  const others = heads.some((head) => head.id === id) ? heads : [{ id, kind, startedAt }, ...heads];
  const navigate = useNavigate();
  const remove = async () => {
    const undo = await deleteTake(take.id);
    await navigate('/bench');
    reportDeleted('Take deleted', undo);
  };
  const copy = async () => {
    const lines = [title, conditionsOf(take), ...rows.map(([what, value]) => `${what}\t${value}`)];
    await navigator.clipboard.writeText(lines.join('\n'));
    showToast('Results copied.');
  };
  return (
    <header className="flex flex-col gap-1.5">
      <div className="flex flex-wrap items-center gap-3">
        <h2 className="text-lg font-bold">{title}</h2>
        <select
          aria-label="Take shown"
          className="border border-rule px-1.5 py-1 text-sm"
          value={take.id}
          onChange={({ target }) => void navigate(`/bench/${target.value}`)}
        >
          {others.map(({ id, startedAt, kind }) => (
            <option key={id} value={id}>
              {exactDayAndTime(startedAt)} {kind === 'proof' && 'Proof'}
            </option>
          ))}
        </select>
        <span className="ml-auto flex">
          <Button tone="quiet" disabled={rows.length === 0} onClick={() => void copy()}>
            <Copy size={14} aria-hidden /> Copy results
          </Button>
          <Button tone="quiet" aria-label="Delete take" title="Delete take" onClick={() => void remove()}>
            <Trash2 size={16} aria-hidden />
          </Button>
        </span>
      </div>
      <div className="flex flex-wrap items-baseline gap-x-4 text-sm text-soft">
        <span>{conditionsOf(take)}</span>
        <input
          key={take.id}
          aria-label="Note on this take"
          placeholder="Add a note…"
          maxLength={LONGEST_NOTE}
          defaultValue={take.note ?? ''}
          className="min-w-40 flex-1 border-b border-transparent bg-transparent px-1 text-ink placeholder:text-soft hover:border-rule focus:border-ink"
          onBlur={({ target }) => {
            const note = target.value.trim();
            if (note !== (take.note ?? '')) void database.takes.update(take.id, { note });
          }}
          onKeyDown={({ key, currentTarget }) => {
            if (key === 'Enter') currentTarget.blur();
          }}
        />
      </div>
    </header>
  );
}

/** Date, tempo and audio settings, on one line. */
export function conditionsOf(take: Take): string {
  const buffer = take.conditions?.bufferMs;
  return [
    take.proof && 'Proof',
    dayAndTime(take.startedAt),
    take.bpm && `${decimal(take.bpm, 1)} BPM`,
    take.sampleRate > 0 && `${take.sampleRate / 1000} kHz`,
    take.input,
    take.playedBy && `played by ${PLAYED_BY[take.playedBy].toLowerCase()}`,
    buffer && `buffer ${whole(buffer)} ms`,
    'bpm' in take.beats && take.source === 'live' && !take.plan && 'no click input, round trip subtracted',
    take.gaps && `audio dropouts: ${take.gaps}`,
    take.conditions && `version ${take.conditions.version}`,
  ]
    .filter(Boolean)
    .join(' · ');
}

export function Numbers({ rows }: { rows: Row[] }) {
  return (
    <dl className="grid grid-cols-2 gap-x-8 gap-y-2 lg:grid-cols-4">
      {rows.map(([what, value]) => (
        <div key={what}>
          <dt className="text-xs text-soft">{what}</dt>
          <dd className="text-base font-bold">{value}</dd>
        </div>
      ))}
    </dl>
  );
}
