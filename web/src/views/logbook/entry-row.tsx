import clsx from 'clsx';
import { format } from 'date-fns';
import { CircleAlert, Download, Trash2 } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { useEffect, useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { tell } from '../../app/toast-store';
import type { EntryKey } from '../../history/logbook';
import { useEntry } from '../../history/use-logbook';
import { Button } from '../../parts/button';
import { resultInWords } from '../../parts/take-words';
import { deleteClockTake } from '../../store/clock-takes';
import { deleteEvent } from '../../store/events';
import type { ClockTake, HistoryEvent, Take } from '../../store/records';
import { deleteTake } from '../../store/takes';
import { eventInWords, KIND_WORDS } from './entry-words';
import { beatsName, saveBeats, saveClock, saveSound, saveTake } from './save-entry';
import { TakeThumb } from './take-thumb';

/** One entry of the logbook: when, what, what came of it, and what can be done with it. */
export function EntryRow({
  entry,
  chosen,
  onChoose,
}: {
  entry: EntryKey;
  chosen: boolean;
  onChoose: (() => void) | null;
}) {
  const read = useEntry(useStays() ? entry : null);
  return (
    <div className="flex h-full items-center gap-4 pr-5 pl-5">
      <span className="w-18 shrink-0 text-soft">{format(entry.at, 'HH:mm:ss')}</span>
      <span className="w-28 shrink-0 font-bold">
        {entry.kind === 'fault' && <CircleAlert aria-hidden size={14} className="mr-1 inline text-wrong" />}
        {KIND_WORDS[entry.kind]}
      </span>
      {read?.what === 'take' && <TakeCells take={read.take} chosen={chosen} onChoose={onChoose} />}
      {read?.what === 'clock' && <ClockCells take={read.take} />}
      {read?.what === 'event' && <EventCells event={read.event} />}
      {read?.what === 'nothing' && (
        <span className="text-soft">This entry was damaged, and set aside: see Storage.</span>
      )}
    </div>
  );
}

/** A row that is scrolled past is gone sooner than it could be read. */
const STAYS_MS = 80;

function useStays(): boolean {
  const [stays, setStays] = useState(false);
  useEffect(() => {
    const timer = setTimeout(() => setStays(true), STAYS_MS);
    return () => clearTimeout(timer);
  }, []);
  return stays;
}

const MOST_NAMED = 3;

function TakeCells({ take, chosen, onChoose }: { take: Take; chosen: boolean; onChoose: (() => void) | null }) {
  const results = take.lines.map((line) => `${line.name}: ${resultInWords(take, line)}`);
  const rest = results.length - MOST_NAMED;
  const about = [take.bpm && `${take.bpm.toFixed(1)} BPM`, take.ending ?? take.input, take.note].filter(Boolean);
  return (
    <>
      <span className="min-w-0 flex-1">
        <Link
          to={`/bench/${take.id}`}
          className="line-clamp-2 underline decoration-rule underline-offset-4 hover:decoration-ink"
        >
          {results.slice(0, MOST_NAMED).join(' · ') || 'Nothing was measured'}
          {rest > 0 && ` · and ${rest} more`}
        </Link>
        <span className="block truncate text-xs text-soft">{about.join(' · ')}</span>
      </span>
      <TakeThumb take={take} />
      <label className={clsx('w-22 shrink-0 text-xs', !onChoose && 'text-soft')}>
        <input
          type="checkbox"
          className="mr-1.5 accent-[var(--ink)]"
          checked={chosen}
          disabled={!onChoose}
          onChange={() => onChoose?.()}
        />
        compare
      </label>
      <Actions
        name={`take of ${format(take.startedAt, 'HH:mm:ss')}`}
        saves={[
          ['Sound (WAV)', () => saveSound(take)],
          ['With its raw data (JSON)', () => saveTake(take)],
          ['Beats (CSV)', () => saveBeats([take.id], beatsName(take))],
        ]}
        onDelete={() => deleteTake(take.id)}
        deleted="The take was deleted."
      />
    </>
  );
}

function ClockCells({ take }: { take: ClockTake }) {
  const { result } = take;
  return (
    <>
      <span className="min-w-0 flex-1">
        {take.name}:{' '}
        {result
          ? `${result.report.bpm.toFixed(3)} BPM, jitter ${result.report.jitterRmsMs.toFixed(2)} ms rms`
          : (take.problem ?? 'not measured')}
        <span className="block truncate text-xs text-soft">
          {[
            `${take.ticks} ticks`,
            take.traffic && 'under traffic',
            take.against && `beside ${take.against.name}`,
            take.ending,
          ]
            .filter(Boolean)
            .join(' · ')}
        </span>
      </span>
      <Actions
        name={`clock of ${format(take.startedAt, 'HH:mm:ss')}`}
        saves={[['With its ticks (JSON)', () => saveClock(take)]]}
        onDelete={() => deleteClockTake(take.id)}
        deleted="The take was deleted."
      />
    </>
  );
}

function EventCells({ event }: { event: HistoryEvent }) {
  const words = eventInWords(event);
  return (
    <>
      <span className="line-clamp-2 min-w-0 flex-1" title={words}>
        {words}
      </span>
      <Actions
        name={`entry of ${format(event.at, 'HH:mm:ss')}`}
        saves={[]}
        onDelete={() => deleteEvent(event)}
        deleted="The entry was deleted."
      />
    </>
  );
}

function Actions({
  name,
  saves,
  onDelete,
  deleted,
}: {
  name: string;
  saves: [string, () => Promise<void>][];
  onDelete: () => Promise<() => Promise<void>>;
  deleted: string;
}): ReactNode {
  return (
    <span className="flex w-16 shrink-0 justify-end">
      {saves.length > 0 && (
        <DropdownMenu.Root>
          <DropdownMenu.Trigger asChild>
            <Button tone="quiet" className="!px-1.5" aria-label={`Save the ${name}`} title="Save as a file">
              <Download size={16} aria-hidden />
            </Button>
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content align="end" className="z-10 border border-ink bg-raised py-1 text-sm shadow-md">
              {saves.map(([words, save]) => (
                <DropdownMenu.Item
                  key={words}
                  className="cursor-pointer px-3 py-1.5 data-highlighted:bg-ink data-highlighted:text-sheet"
                  onSelect={() => void save()}
                >
                  {words}
                </DropdownMenu.Item>
              ))}
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      )}
      <Button
        tone="quiet"
        className="!px-1.5"
        aria-label={`Delete the ${name}`}
        title="Delete"
        onClick={() => void onDelete().then((undo) => tell(deleted, () => void undo()))}
      >
        <Trash2 size={16} aria-hidden />
      </Button>
    </span>
  );
}
