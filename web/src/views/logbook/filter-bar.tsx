import { addDays, format, parseISO, startOfDay } from 'date-fns';
import type { EntryKey, EntryKind, LogbookFilter } from '../../history/logbook';
import { Button } from '../../parts/button';
import { InlineSelect } from '../../parts/inline-select';
import { count, whole } from '../../words/numbers';
import type { Rig } from '../../store/records';
import { KIND_WORDS } from './entry-words';

export const ALL: LogbookFilter = { kinds: [], gearId: null, fromAt: null, toAt: null };

/** Filters entries by kind, device and date. */
export function FilterBar({
  rig,
  all,
  filter,
  shown,
  onFilter,
}: {
  rig: Rig;
  all: readonly EntryKey[];
  filter: LogbookFilter;
  shown: number;
  onFilter: (filter: LogbookFilter) => void;
}) {
  const there = new Set(all.map(({ kind }) => kind));
  const kinds = (Object.keys(KIND_WORDS) as EntryKind[]).filter((kind) => there.has(kind));
  const toggle = (kind: EntryKind) => {
    const chosen = filter.kinds.includes(kind) ? filter.kinds.filter((one) => one !== kind) : [...filter.kinds, kind];
    onFilter({ ...filter, kinds: chosen });
  };
  const days: [keyof Pick<LogbookFilter, 'fromAt' | 'toAt'>, string][] = [
    ['fromAt', 'From'],
    ['toAt', 'To'],
  ];
  const entries = count(all.length, 'entry', 'entries');
  const isAll = filter.kinds.length === 0 && !filter.gearId && filter.fromAt === null && filter.toAt === null;
  return (
    <div
      role="search"
      aria-label="Filter entries"
      className="ruled-b flex flex-wrap items-center gap-x-4 gap-y-2 px-5 py-2 text-sm"
    >
      <span className="flex flex-wrap gap-1">
        {kinds.map((kind) => (
          <button
            key={kind}
            type="button"
            aria-pressed={filter.kinds.includes(kind)}
            onClick={() => toggle(kind)}
            className="border border-rule px-2 py-0.5 hover:border-ink aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:text-sheet"
          >
            {KIND_WORDS[kind]}
          </button>
        ))}
      </span>
      <InlineSelect
        name="Gear"
        value={filter.gearId ?? ''}
        options={[['', 'All gear'], ...rig.gear.map(({ id, name }) => [id, name] as const)]}
        onChoose={(id) => onFilter({ ...filter, gearId: id || null })}
      />
      {days.map(([key, label]) => (
        <label key={key} className="inline-flex items-center gap-1.5 text-soft">
          {label}
          <input
            type="date"
            value={dayOf(filter[key], key)}
            className="border border-rule px-1 py-0.5 text-ink"
            onChange={({ target }) => {
              const day = target.value ? startOfDay(parseISO(target.value)) : null;
              const at = day && (key === 'toAt' ? addDays(day, 1) : day).getTime();
              onFilter({ ...filter, [key]: Number.isNaN(at) ? null : at });
            }}
          />
        </label>
      ))}
      <span className="ml-auto text-soft" role="status">
        {shown === all.length ? entries : `${whole(shown)} of ${entries}`}
      </span>
      {!isAll && (
        <Button tone="quiet" className="!px-0" onClick={() => onFilter(ALL)}>
          Clear filters
        </Button>
      )}
    </div>
  );
}

function dayOf(at: number | null, key: 'fromAt' | 'toAt'): string {
  if (at === null) return '';
  return format(key === 'toAt' ? addDays(at, -1) : at, 'yyyy-MM-dd');
}
