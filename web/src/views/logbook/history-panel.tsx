import { useVirtualizer } from '@tanstack/react-virtual';
import { isSameDay } from 'date-fns';
import { useMemo, useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { EntryKey, EntryKind, LogbookFilter } from '../../history/logbook';
import { useLogbook } from '../../history/use-logbook';
import { Button } from '../../parts/button';
import type { Rig } from '../../store/records';
import { DayStrip } from './day-strip';
import { EntryRow } from './entry-row';
import { ALL, FilterBar } from './filter-bar';
import { exactTime, exactDayAndTime, longDay } from '../../parts/dates';

const DAY_HEIGHT = 30;
const TAKE_HEIGHT = 62;
const EVENT_HEIGHT = 46;
const LOW: ReadonlySet<EntryKind> = new Set<EntryKind>(['offsets', 'rig', 'fault', 'data', 'clock']);
const COMPARED: ReadonlySet<EntryKind> = new Set<EntryKind>([
  'take',
  'proof',
  'recording',
  'chase',
  'starts',
  'startsBySound',
  'tempo',
  'tempoRun',
  'drift',
  'program',
]);

/** A row of the list: the heading of a day, or an entry. */
type Row = { day: number } | EntryKey;

/** Every measurement, change and fault, newest first. */
export function HistoryPanel({ rig }: { rig: Rig }) {
  const [filter, setFilter] = useState<LogbookFilter>(ALL);
  const [chosen, setChosen] = useState<EntryKey[]>([]);
  const logbook = useLogbook(filter);
  const navigate = useNavigate();
  if (!logbook) return null;
  if (logbook.all.length === 0) return <NoEntriesYet />;
  const choose = (key: EntryKey) =>
    setChosen((before) =>
      before.some(({ id }) => id === key.id) ? before.filter(({ id }) => id !== key.id) : [...before.slice(-1), key],
    );
  const compare = () => {
    const [first, second] = [...chosen].sort((a, b) => a.at - b.at);
    if (first && second) void navigate(`/logbook?compare=${first.id},${second.id}`);
  };
  return (
    <div className="flex h-full flex-col">
      <FilterBar rig={rig} all={logbook.all} shown={logbook.shown.length} filter={filter} onFilter={setFilter} />
      <EntryList keys={logbook.shown} chosen={chosen} onChoose={choose} onClearFilters={() => setFilter(ALL)} />
      {chosen.length > 0 && (
        <div className="flex items-center gap-4 border-t border-rule bg-raised px-5 py-2 text-sm">
          <span>
            {chosen.length === 1
              ? `Take of ${exactTime(chosen[0]?.at ?? 0)} selected. Tick another to compare.`
              : `Two takes selected: ${chosen.map(({ at }) => exactDayAndTime(at)).join(' and ')}`}
          </span>
          <span className="ml-auto flex gap-2">
            <Button tone="quiet" onClick={() => setChosen([])}>
              Clear selection
            </Button>
            <Button tone="strong" disabled={chosen.length < 2} onClick={compare}>
              Compare
            </Button>
          </span>
        </div>
      )}
    </div>
  );
}

function EntryList({
  keys,
  chosen,
  onChoose,
  onClearFilters,
}: {
  keys: readonly EntryKey[];
  chosen: readonly EntryKey[];
  onChoose: (key: EntryKey) => void;
  onClearFilters: () => void;
}) {
  const rows = useMemo(() => withDays(keys), [keys]);
  const scroller = useRef<HTMLDivElement>(null);
  // Virtualized: only visible rows are rendered and loaded. The React compiler skips this component.
  // eslint-disable-next-line react-hooks/incompatible-library
  const list = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: (i) => heightOf(rows[i]),
    getItemKey: (i) => keyOf(rows[i]),
    overscan: 6,
  });
  const go = (at: number) => {
    const index = rows.findIndex((row) => 'id' in row && row.at <= at);
    list.scrollToIndex(index < 0 ? rows.length - 1 : index, { align: 'start' });
  };
  return (
    <>
      {keys.length > 1 && <DayStrip keys={keys} onGo={go} />}
      <div ref={scroller} className="min-h-0 flex-1 overflow-auto text-sm" tabIndex={0} aria-label="Logbook entries">
        {rows.length === 0 && (
          <p className="p-5 text-soft">
            No entries match. <Button onClick={onClearFilters}>Clear filters</Button>
          </p>
        )}
        <ul className="relative" style={{ height: list.getTotalSize() }}>
          {list.getVirtualItems().map(({ index, key, start, size }) => {
            const row = rows[index];
            if (!row) return null;
            return (
              <li
                key={key}
                className="absolute inset-x-0 border-b border-rule"
                style={{ transform: `translateY(${start}px)`, height: size }}
              >
                {'day' in row ? (
                  <h2 className="bg-raised px-5 py-1 font-bold">{longDay(row.day)}</h2>
                ) : (
                  <EntryRow
                    entry={row}
                    chosen={chosen.some(({ id }) => id === row.id)}
                    onChoose={COMPARED.has(row.kind) ? () => onChoose(row) : null}
                  />
                )}
              </li>
            );
          })}
        </ul>
      </div>
    </>
  );
}

function withDays(keys: readonly EntryKey[]): Row[] {
  return keys.flatMap((key, i): Row[] => {
    const before = keys[i - 1];
    return before && isSameDay(before.at, key.at) ? [key] : [{ day: key.at }, key];
  });
}

function heightOf(row: Row | undefined): number {
  if (!row || 'day' in row) return DAY_HEIGHT;
  return LOW.has(row.kind) ? EVENT_HEIGHT : TAKE_HEIGHT;
}

function keyOf(row: Row | undefined): string {
  if (!row) return '';
  return 'day' in row ? `day ${row.day}` : row.id;
}

function NoEntriesYet() {
  return (
    <div className="p-10">
      <h2 className="mb-2 text-lg font-bold">No entries yet</h2>
      <p className="mb-4 max-w-prose text-soft">
        Takes and proofs are kept here with their audio, along with every change to the rig and its offsets, and
        anything that went wrong during playback.
      </p>
      <Link to="/bench" className="border border-ink bg-ink px-3 py-2 text-sm text-sheet">
        Record a take
      </Link>
    </div>
  );
}
