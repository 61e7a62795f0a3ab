import { format } from 'date-fns';
import { Copy, Trash2 } from 'lucide-react';
import { useNavigate } from 'react-router';
import { tell } from '../../app/toast-store';
import { Button } from '../../parts/button';
import { database } from '../../store/database';
import type { Take } from '../../store/records';
import { deleteTake } from '../../store/takes';
import { useTakes } from '../../store/use-takes';

/** A name and what it is. */
export type Row = [string, string];

const LONGEST_NOTE = 200;

/** What a take is, under which conditions, with a note; other takes of the same question; its numbers to copy; and away with it. */
export function TakeHeader({ take, title, rows }: { take: Take; title: string; rows: Row[] }) {
  const question = take.plan?.question;
  const others = useTakes().filter(({ plan, status }) => plan?.question === question && status !== 'recording');
  const navigate = useNavigate();
  const remove = async () => {
    const undo = await deleteTake(take.id);
    await navigate('/bench');
    tell('The take was deleted.', () => void undo());
  };
  const copy = async () => {
    const lines = [title, conditionsOf(take), ...rows.map(([what, value]) => `${what}\t${value}`)];
    await navigator.clipboard.writeText(lines.join('\n'));
    tell('The numbers were copied.');
  };
  return (
    <header className="flex flex-col gap-1.5">
      <div className="flex flex-wrap items-center gap-3">
        <h2 className="text-lg font-bold">{title}</h2>
        <select
          aria-label="Which take is shown"
          className="border border-rule px-1.5 py-1 text-sm"
          value={take.id}
          onChange={({ target }) => void navigate(`/bench/${target.value}`)}
        >
          {others.map(({ id, startedAt, proof }) => (
            <option key={id} value={id}>
              {format(startedAt, 'd MMM, HH:mm:ss')} {proof && 'proof'}
            </option>
          ))}
        </select>
        <span className="ml-auto flex">
          <Button tone="quiet" disabled={rows.length === 0} onClick={() => void copy()}>
            <Copy size={14} aria-hidden /> Copy the numbers
          </Button>
          <Button tone="quiet" aria-label="Delete this take" title="Delete this take" onClick={() => void remove()}>
            <Trash2 size={16} aria-hidden />
          </Button>
        </span>
      </div>
      <div className="flex flex-wrap items-baseline gap-x-4 text-sm text-soft">
        <span>{conditionsOf(take)}</span>
        <input
          key={take.id}
          aria-label="Note about this take"
          placeholder="A note …"
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

/** When, at which tempo, through what. */
export function conditionsOf(take: Take): string {
  const buffer = take.conditions?.bufferMs;
  return [
    take.proof && 'proof',
    format(take.startedAt, 'd MMM, HH:mm'),
    take.bpm && `${take.bpm.toFixed(1)} BPM`,
    take.sampleRate > 0 && `${take.sampleRate / 1000} kHz`,
    take.input,
    buffer && `buffers ${buffer.toFixed(0)} ms`,
    'bpm' in take.beats && take.source === 'live' && !take.plan && 'by what the audio path adds',
    take.gaps && `the sound broke off ${take.gaps}×`,
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
