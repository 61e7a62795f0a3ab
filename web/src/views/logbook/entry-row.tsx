import clsx from 'clsx';
import { CircleAlert, Download, Trash2 } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { useEffect, useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { reportDeleted } from '../../studio/undoable';
import type { EntryKey } from '../../history/logbook';
import { useEntry } from '../../history/use-logbook';
import { Button } from '../../parts/button';
import { resultText } from '../../parts/take-words';
import { deleteClockTake } from '../../store/clock-takes';
import { deleteEvent } from '../../store/events';
import type { ClockTake, HistoryEvent, Take } from '../../store/records';
import { deleteTake } from '../../store/takes';
import { eventText, KIND_WORDS } from './entry-words';
import { beatsName, saveBeats, saveClock, saveSound, saveTake } from './save-entry';
import { TakeThumb } from './take-thumb';
import { count, decimal } from '../../words/numbers';
import { exactTime } from '../../parts/dates';

/** One entry of the logbook: time, kind, result and actions. */
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
    <div className="flex h-full items-center gap-4 pr-5 pl-5 max-sm:gap-2 max-sm:px-3">
      <span className="w-24 shrink-0 whitespace-nowrap text-soft max-sm:w-14 max-sm:whitespace-normal">
        {exactTime(entry.at)}
      </span>
      <span className="w-28 shrink-0 font-bold max-sm:w-14">
        {entry.kind === 'fault' && !(read?.what === 'event' && read.event.recovered) && (
          <CircleAlert aria-hidden size={14} className="mr-1 inline text-wrong" />
        )}
        {KIND_WORDS[entry.kind]}
      </span>
      {read?.what === 'take' && <TakeCells take={read.take} chosen={chosen} onChoose={onChoose} />}
      {read?.what === 'clock' && <ClockCells take={read.take} />}
      {read?.what === 'event' && <EventCells event={read.event} />}
      {read?.what === 'nothing' && (
        <span className="text-soft">This entry is damaged. See Damaged records in Storage.</span>
      )}
    </div>
  );
}

/** Delay loading, so that rows flicked past during a fast scroll aren't fetched. */
const STAYS_MS = 80;

function useStays(): boolean {
  const [stays, setStays] = useState(false);
  useEffect(() => {
    const timer = setTimeout(() => setStays(true), STAYS_MS);
    return () => clearTimeout(timer);
  }, []);
  return stays;
}

const MAX_NAMED = 3;

function TakeCells({ take, chosen, onChoose }: { take: Take; chosen: boolean; onChoose: (() => void) | null }) {
  const results = take.lines.map((line) => `${line.name}: ${resultText(take, line)}`);
  const rest = results.length - MAX_NAMED;
  const about = [take.bpm && `${decimal(take.bpm, 1)} BPM`, take.ending ?? take.input, take.note].filter(Boolean);
  return (
    <>
      <span className="min-w-0 flex-1">
        <Link
          to={`/bench/${take.id}`}
          className="line-clamp-2 underline decoration-rule underline-offset-4 hover:decoration-ink"
        >
          {results.slice(0, MAX_NAMED).join(' · ') || 'No measurement'}
          {rest > 0 && ` · ${rest} more`}
        </Link>
        <span className="block truncate text-xs text-soft">{about.join(' · ')}</span>
      </span>
      <TakeThumb take={take} />
      <label className={clsx('w-22 shrink-0 text-xs max-sm:w-auto', !onChoose && 'text-soft')}>
        <input
          type="checkbox"
          className="mr-1.5 accent-[var(--ink)]"
          checked={chosen}
          disabled={!onChoose}
          onChange={() => onChoose?.()}
        />
        <span className="max-sm:sr-only">Compare</span>
      </label>
      <Actions
        name={`take of ${exactTime(take.startedAt)}`}
        saves={[
          ['Audio (WAV)', () => saveSound(take)],
          ['Raw data (JSON)', () => saveTake(take)],
          ['Beats (CSV)', () => saveBeats([take.id], beatsName(take))],
        ]}
        onDelete={() => deleteTake(take.id)}
        deleted="Take deleted"
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
          ? `${decimal(result.report.bpm, 3)} BPM, jitter ${decimal(result.report.jitterRmsMs, 2)} ms RMS`
          : (take.problem ?? 'No measurement')}
        <span className="block truncate text-xs text-soft">
          {[
            count(take.ticks, 'tick'),
            take.traffic && 'with MIDI traffic',
            take.against && `against ${take.against.name}`,
            take.ending,
          ]
            .filter(Boolean)
            .join(' · ')}
        </span>
      </span>
      <Actions
        name={`clock of ${exactTime(take.startedAt)}`}
        saves={[['Ticks (JSON)', () => saveClock(take)]]}
        onDelete={() => deleteClockTake(take.id)}
        deleted="Take deleted"
      />
    </>
  );
}

function EventCells({ event }: { event: HistoryEvent }) {
  const words = eventText(event);
  return (
    <>
      <span className="line-clamp-2 min-w-0 flex-1" title={words}>
        {words}
      </span>
      <Actions
        name={`entry of ${exactTime(event.at)}`}
        saves={[]}
        onDelete={() => deleteEvent(event)}
        deleted="Entry deleted"
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
            <Button tone="quiet" className="!px-1.5" aria-label={`Export ${name}`} title="Export">
              <Download size={16} aria-hidden />
            </Button>
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content align="end" className="z-10 border border-ink bg-raised py-1 text-sm shadow-md">
              {saves.map(([label, save]) => (
                <DropdownMenu.Item
                  key={label}
                  className="cursor-pointer px-3 py-1.5 data-highlighted:bg-ink data-highlighted:text-sheet"
                  onSelect={() => void save()}
                >
                  {label}
                </DropdownMenu.Item>
              ))}
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      )}
      <Button
        tone="quiet"
        className="!px-1.5"
        aria-label={`Delete ${name}`}
        title="Delete"
        onClick={() => void onDelete().then((undo) => reportDeleted(deleted, undo))}
      >
        <Trash2 size={16} aria-hidden />
      </Button>
    </span>
  );
}
