import { useVirtualizer } from '@tanstack/react-virtual';
import { format, isSameDay } from 'date-fns';
import { useMemo, useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { EntryKey, EntryKind, LogbookFilter } from '../../history/logbook';
import { useLogbook } from '../../history/use-logbook';
import { Button } from '../../parts/button';
import type { Rig } from '../../store/records';
import { DayStrip } from './day-strip';
import { EntryRow } from './entry-row';
import { ALL, FilterBar } from './filter-bar';

const DAY_HEIGHT = 30;
const TAKE_HEIGHT = 62;
const EVENT_HEIGHT = 46;
const LOW: ReadonlySet<EntryKind> = new Set<EntryKind>(['offsets', 'rig', 'fault', 'data', 'clock']);
const COMPARED: ReadonlySet<EntryKind> = new Set<EntryKind>(['take', 'proof', 'recording', 'chase', 'tempo', 'drift']);

/** Rows as they are drawn: a heading for each day, and what is in it. */
type Row = { day: number } | EntryKey;

/** All that was measured and that happened, on a line of time, newest first. */
export function HistoryPanel({ rig }: { rig: Rig }) {
  const [filter, setFilter] = useState<LogbookFilter>(ALL);
  const [chosen, setChosen] = useState<EntryKey[]>([]);
  const logbook = useLogbook(filter);
  const navigate = useNavigate();
  if (!logbook) return null;
  if (logbook.all.length === 0) return <NothingYet />;
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
      <EntryList keys={logbook.shown} chosen={chosen} onChoose={choose} />
      {chosen.length > 0 && (
        <div className="flex items-center gap-4 border-t border-rule bg-raised px-5 py-2 text-sm">
          <span>
            {chosen.length === 1
              ? `The take of ${format(chosen[0]?.at ?? 0, 'HH:mm:ss')} beside: choose another.`
              : `Two takes: ${chosen.map(({ at }) => format(at, 'd MMM, HH:mm:ss')).join(' and ')}`}
          </span>
          <span className="ml-auto flex gap-2">
            <Button tone="quiet" onClick={() => setChosen([])}>
              Neither
            </Button>
            <Button tone="strong" disabled={chosen.length < 2} onClick={compare}>
              Compare them
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
}: {
  keys: readonly EntryKey[];
  chosen: readonly EntryKey[];
  onChoose: (key: EntryKey) => void;
}) {
  const rows = useMemo(() => withDays(keys), [keys]);
  const scroller = useRef<HTMLDivElement>(null);
  // Only what is in sight is drawn, and read. The compiler of React leaves this component as it is for that.
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
      <div ref={scroller} className="min-h-0 flex-1 overflow-auto text-sm" tabIndex={0} aria-label="Entries">
        {rows.length === 0 && <p className="p-5 text-soft">Nothing in the logbook is like that.</p>}
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
                  <h2 className="bg-raised px-5 py-1 font-bold">{format(row.day, 'EEEE, d MMMM yyyy')}</h2>
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

function NothingYet() {
  return (
    <div className="p-10">
      <h2 className="mb-2 text-lg font-bold">Nothing in the logbook yet</h2>
      <p className="mb-4 max-w-prose text-soft">
        Every take and proof is kept here with its sound, every change of the rig and its offsets, and what went wrong
        while it ran.
      </p>
      <Link to="/bench" className="border border-ink bg-ink px-3 py-2 text-sm text-sheet">
        Make a take on the Bench
      </Link>
    </div>
  );
}
