import clsx from 'clsx';
import type { KeyboardEvent } from 'react';
import { useSession } from '../../hub/session';
import { BeatLineRow, type BeatLineDomain } from '../../parts/beat-line';
import { Button } from '../../parts/button';
import { lateInWords, moveInWords, offsetInWords } from '../../parts/words';
import type { TakeLine } from '../../store/records';
import { setOffset } from '../../hub/set-offset';
import { needsApplying, type AlignRow } from './align-rows';

const SAMPLE_MS = 1000 / 48_000;

interface Props {
  row: AlignRow;
  domain: BeatLineDomain;
  height: number;
  selected: boolean;
  onSelect: () => void;
}

/** A follower on the beat line. With the row in hand, the arrow keys move its offset, live. */
export function FollowerRow({ row, domain, height, selected, onSelect }: Props) {
  const { gear, now, before } = row;
  const nudge = (event: KeyboardEvent) => {
    const way = event.key === 'ArrowLeft' ? -1 : event.key === 'ArrowRight' ? 1 : 0;
    if (way === 0) return;
    event.preventDefault();
    // A fast hand changes the offset again before the row is drawn anew: take it from where it stands.
    const current = useSession.getState().rig?.gear.find(({ id }) => id === gear.id)?.offsetMs ?? gear.offsetMs;
    const stepMs = event.altKey ? SAMPLE_MS : event.shiftKey ? 1 : 0.1;
    void setOffset(gear.id, Number((current + way * stepMs).toFixed(4)));
  };
  const shown = now ?? before;
  return (
    <div className={clsx('contents *:ruled-t', selected && '*:bg-raised')}>
      <button
        type="button"
        aria-pressed={selected}
        onClick={onSelect}
        onFocus={onSelect}
        onKeyDown={nudge}
        className="flex flex-col items-start justify-center px-2 text-left hover:bg-raised"
      >
        <b>{gear.name}</b>
        <span className="text-xs text-clock">offset {offsetInWords(gear.offsetMs)}</span>
        <span className="sr-only">Arrow keys move it.</span>
      </button>
      <BeatLineRow
        domain={domain}
        height={height}
        row={
          now && before
            ? {
                lateMs: lates(now),
                medianMs: now.report?.medianMs ?? null,
                before: lates(before),
                beforeMedianMs: before.report?.medianMs ?? null,
              }
            : now
              ? { lateMs: lates(now), medianMs: now.report?.medianMs ?? null }
              : { lateMs: [], before: lates(before), beforeMedianMs: before?.report?.medianMs ?? null }
        }
        label={`${gear.name}: ${shown?.report ? lateInWords(shown.report.medianMs) : 'not measured'}`}
      />
      <div className="flex flex-col justify-center px-2">
        <Verdict row={row} />
      </div>
    </div>
  );
}

function lates(line: TakeLine | null): number[] {
  return line?.landings.map(({ lateMs }) => lateMs) ?? [];
}

function Verdict({ row }: { row: AlignRow }) {
  const { gear, now, before, wantedMs } = row;
  if (!now?.report)
    return (
      <>
        <b className="text-sm">{before ? 'Applied, not proved' : 'Not measured'}</b>
        <span className="text-xs text-soft">{before ? 'take a proof to see what is left' : 'measure it first'}</span>
      </>
    );
  const { medianMs, ci95Ms } = now.report;
  const half = (ci95Ms[1] - ci95Ms[0]) / 2;
  if (needsApplying(row) && wantedMs !== null)
    return (
      <div className="flex items-center justify-between gap-2">
        <span>
          <b className="block text-sm first-letter:uppercase">{moveInWords(wantedMs - gear.offsetMs)}</b>
          <span className="text-xs text-soft">
            {lateInWords(medianMs)} ± {half.toFixed(2)}
          </span>
        </span>
        <Button onClick={() => void setOffset(gear.id, wantedMs)}>Apply</Button>
      </div>
    );
  return (
    <>
      <b className="flex items-center gap-2 text-sm text-good">
        <svg width="12" height="12" aria-hidden>
          <circle cx="6" cy="6" r="5" fill="currentColor" />
        </svg>
        {before ? 'Proved' : 'In time'}
      </b>
      <span className="text-xs text-soft">
        left over {lateInWords(medianMs)} ± {half.toFixed(2)}
      </span>
    </>
  );
}
