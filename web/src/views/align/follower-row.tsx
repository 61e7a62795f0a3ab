import clsx from 'clsx';
import { Ear, Lock, LockOpen } from 'lucide-react';
import type { KeyboardEvent } from 'react';
import { useShallow } from 'zustand/react/shallow';
import type { AlignRow } from '../../align/align-rows';
import { useListening } from '../../audio/listening';
import { hearAlone } from '../../studio/hearing';
import { setOffset } from '../../studio/set-offset';
import { useSession } from '../../studio/session';
import { BeatLineRow, type BeatLineDomain } from '../../parts/beat-line';
import { offsetIn } from '../../parts/units';
import { latenessText } from '../../parts/words';
import { ownReturn } from '../../store/gear';
import type { TakeLine } from '../../store/records';
import { lock } from './change-align';
import { useAlignLook, useUnitAt } from './look';
import { Verdict } from './verdict';

const SAMPLE_MS = 1000 / 48_000;

interface Props {
  row: AlignRow;
  domain: BeatLineDomain;
  toleranceMs: number;
  height: number;
  selected: boolean;
  onSelect: () => void;
}

/** A follower on the beat line. Arrow keys move the selected row's offset, live; its flag can be dragged. */
export function FollowerRow({ row, domain, toleranceMs, height, selected, onSelect }: Props) {
  const { gear, now, before, meetMs, locked } = row;
  const live = useLiveLandings(useSession(({ rig }) => ownReturn(rig?.gear ?? [], gear)));
  const unit = useAlignLook(({ unit }) => unit);
  const at = useUnitAt();
  /** Read the current offset: the next key press may come before the row has re-rendered. */
  const move = (byMs: number) => {
    const current = useSession.getState().rig?.gear.find(({ id }) => id === gear.id)?.offsetMs ?? gear.offsetMs;
    void setOffset(gear.id, Number((current + byMs).toFixed(4)));
  };
  const nudge = (event: KeyboardEvent) => {
    const way = event.key === 'ArrowLeft' ? -1 : event.key === 'ArrowRight' ? 1 : 0;
    if (way === 0 || locked) return;
    event.preventDefault();
    move(way * (event.altKey ? SAMPLE_MS : event.shiftKey ? 1 : 0.1));
  };
  const landings = live ?? lates(now);
  // Not measured with this offset: show where it should land according to earlier takes.
  const medianMs = live ? middle(live) : (now?.report?.medianMs ?? row.lateMs);
  return (
    <div className={clsx('contents *:ruled-t', selected && '*:bg-raised')}>
      <div className="flex items-center">
        <button
          type="button"
          aria-pressed={selected}
          onClick={onSelect}
          onFocus={onSelect}
          onKeyDown={nudge}
          className="flex h-full min-w-0 flex-1 flex-col items-start justify-center px-2 text-left hover:bg-raised"
        >
          <b className="max-w-full truncate">{gear.name}</b>
          <span className="text-xs text-clock">offset {offsetIn(gear.offsetMs, unit, at)}</span>
          <span className="sr-only">Nudge with the arrow keys.</span>
        </button>
        {gear.returnChannel !== null && <HearAlone name={gear.name} channel={gear.returnChannel} />}
        <button
          type="button"
          aria-pressed={locked}
          aria-label={locked ? `Unlock offset of ${gear.name}` : `Lock offset of ${gear.name}`}
          title={locked ? 'Unlock offset' : 'Lock offset'}
          onClick={() => void lock(gear.id, !locked)}
          className={clsx('p-1.5', locked ? 'text-ink' : 'text-rule hover:text-ink')}
        >
          {locked ? <Lock size={14} aria-hidden /> : <LockOpen size={14} aria-hidden />}
        </button>
      </div>
      {/* In a narrow window, below the other two. */}
      <div className="max-md:col-span-2 max-md:!border-t-0">
        <BeatLineRow
          domain={domain}
          height={height}
          toleranceMs={toleranceMs}
          aimMs={meetMs}
          row={{
            lateMs: landings,
            medianMs,
            ...(before && { before: lates(before), beforeMedianMs: before.report?.medianMs ?? null }),
          }}
          label={`${gear.name}: ${medianMs === null ? 'not measured' : latenessText(medianMs)}`}
          {...(!locked && { onMove: move })}
        />
      </div>
      <div className="flex flex-col justify-center px-2">
        <Verdict row={row} toleranceMs={toleranceMs} live={live !== null} />
      </div>
    </div>
  );
}

/** Solos the device with the click, to bring the two together by ear. */
function HearAlone({ name, channel }: { name: string; channel: number }) {
  const solo = useListening((state) => state.solo === channel);
  return (
    <button
      type="button"
      aria-pressed={solo}
      aria-label={`Solo ${name} with the click`}
      title="Solo with the click"
      onClick={() => hearAlone(channel)}
      className={clsx('p-1.5', solo ? 'text-ink' : 'text-rule hover:text-ink')}
    >
      <Ear size={14} aria-hidden />
    </button>
  );
}

/** Live landings during playback; null without a signal. */
function useLiveLandings(channel: number | null): number[] | null {
  return useSession(
    useShallow(({ live, snapshot }) => {
      const reading = channel === null || snapshot.state !== 'rolling' ? null : live?.readings[channel];
      return reading?.state === 'locked' ? reading.landings.map(({ lateMs }) => lateMs) : null;
    }),
  );
}

function middle(values: readonly number[]): number | null {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.floor(sorted.length / 2)] ?? null;
}

function lates(line: TakeLine | null): number[] {
  return line?.landings.map(({ lateMs }) => lateMs) ?? [];
}
