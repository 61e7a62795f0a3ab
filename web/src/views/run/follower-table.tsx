import clsx from 'clsx';
import { memo, useMemo, useState } from 'react';
import { useSession } from '../../studio/session';
import { setOffset } from '../../studio/set-offset';
import type { Follower } from '../../studio/use-followers';
import { BeatLineRow, BeatLineRule, beatLineDomain, type BeatLineDomain } from '../../parts/beat-line';
import { useNarrow } from '../../parts/use-narrow';
import { OffsetField } from '../../parts/offset-field';
import { StateMark } from '../../parts/state-mark';
import { latenessText, signed } from '../../parts/words';
import type { Gear } from '../../store/records';
import { Lamps } from './lamps';
import { NudgeButtons } from './nudge-buttons';
import { RowActions } from './row-actions';
import { useReturnPosition } from './use-return-position';
import { decimal, fps } from '../../words/numbers';

const ROW_HEIGHT = 37;
/** Farther apart, it is at another position of the song, which Incoming sync tells. */
const NEAR_MS = 250;

interface Props {
  followers: Follower[];
  chosenId: string | null;
  onChoose: (id: string) => void;
}

/** One row per follower. Those without an audio return of their own are hidden until asked for. */
export function FollowerTable({ followers, chosenId, onChoose }: Props) {
  const [showsAll, setShowsAll] = useState(false);
  const heard = followers.filter(({ isHeard }) => isHeard);
  const others = followers.filter(({ isHeard }) => !isHeard);
  const rows = heard.length === 0 || showsAll ? [...heard, ...others] : heard;
  const domain = useMemo(
    () => beatLineDomain(followers.flatMap(({ reading }) => reading?.landings.map(({ lateMs }) => lateMs) ?? [])),
    [followers],
  );
  return (
    <>
      <table className="w-full table-fixed text-base">
        <caption className="sr-only">Followers</caption>
        <thead>
          <tr className="ruled-b text-left text-xs text-soft">
            <th className="w-36 py-1.5 pl-4 font-normal max-sm:w-28">Follower</th>
            <th className="w-28 font-normal max-md:hidden">State</th>
            <th className="w-20 font-normal">Beat</th>
            <th className="px-4 font-normal max-sm:px-2">
              <span className="sr-only">Recent landings</span>
              <BeatLineRule domain={domain} unit="ms" />
            </th>
            <th className="w-20 pr-2 text-right font-normal whitespace-nowrap">Late, ms</th>
            <th className="w-22 text-right font-normal max-md:hidden">Offset, ms</th>
            <th className="w-16 text-right font-normal max-xl:hidden">Tempo</th>
            <th className="w-16 text-right font-normal max-xl:hidden">Position</th>
            <th className="w-36 pl-4 font-normal max-xl:hidden">Send</th>
            <th className="w-26 pr-3 text-right font-normal max-md:hidden">Controls</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((follower) => (
            <Row
              key={follower.gear.id}
              follower={follower}
              domain={domain}
              chosen={follower.gear.id === chosenId}
              onChoose={onChoose}
            />
          ))}
        </tbody>
      </table>
      <div className="flex flex-wrap items-center justify-between gap-2 px-4 py-1.5">
        {heard.length > 0 && others.length > 0 ? (
          <button
            type="button"
            aria-expanded={showsAll}
            onClick={() => setShowsAll(!showsAll)}
            className="text-left text-sm text-soft hover:text-ink"
          >
            {showsAll
              ? 'Hide gear without its own audio return'
              : `${others.length} without ${others.length === 1 ? 'its' : 'their'} own audio return: ${others.map(({ gear }) => gear.name).join(', ')}`}
          </button>
        ) : (
          <span />
        )}
        <NudgeButtons follower={followers.find(({ gear }) => gear.id === chosenId) ?? null} />
      </div>
    </>
  );
}

const Row = memo(function Row({
  follower,
  domain,
  chosen,
  onChoose,
}: {
  follower: Follower;
  domain: BeatLineDomain;
  chosen: boolean;
  onChoose: (id: string) => void;
}) {
  const { gear, isHeard, reading, state, onlyClick, portGone, late, clockBpm } = follower;
  const heardBpm = reading?.bpm ?? clockBpm;
  const bpm = useSession(({ snapshot }) => snapshot.bpm);
  const fault = useSession(({ snapshot }) => snapshot.faults.find(({ feedId }) => feedId === gear.portId)?.reason);
  const held = useSession(({ snapshot }) => snapshot.held.includes(gear.portId ?? ''));
  const wire = useWireText(gear);
  const position = useReturnPosition(follower);
  const midi = useMidiReturn(gear.id);
  const narrow = useNarrow();
  const stateMark = held ? (
    'Stopped'
  ) : isHeard ? (
    <StateMark state={state} {...(onlyClick && { word: 'Click only' })} />
  ) : (
    <span
      className="text-soft"
      title={
        gear.returnChannel === null ? 'No audio return' : 'Others come in on its input. A take measures them in turns.'
      }
    >
      {gear.returnChannel === null ? 'No return' : 'Shared input'}
    </span>
  );
  const offset = (
    <OffsetField
      label={`Offset of ${gear.name}`}
      valueMs={gear.offsetMs}
      bpm={bpm}
      onChange={(offsetMs) => void setOffset(gear.id, offsetMs)}
    />
  );
  const row = (
    <tr className={clsx(!narrow && 'ruled-b', chosen && 'bg-raised')} style={{ height: ROW_HEIGHT }}>
      <th scope="row" className="truncate pl-4 text-left leading-tight">
        <button
          type="button"
          aria-pressed={chosen}
          onClick={() => onChoose(gear.id)}
          className="max-w-full truncate font-bold hover:underline"
        >
          {gear.name}
        </button>
        {portGone && <span className="block text-xs font-normal text-wrong">Port disconnected</span>}
        {!portGone && late > 0 && (
          <span className="block text-xs font-normal text-attention">Late messages: {late}</span>
        )}
      </th>
      <td className="truncate text-sm max-md:hidden">{stateMark}</td>
      <td>{isHeard && <Lamps reading={reading} name={gear.name} />}</td>
      <td className="px-4 max-sm:px-2">
        {(isHeard || midi) && (
          <BeatLineRow
            domain={domain}
            height={ROW_HEIGHT - 1}
            row={{
              lateMs: reading?.landings.map(({ lateMs }) => lateMs) ?? [],
              medianMs: null,
              ...(midi && { midi: { lateMs: midi.landingsMs, ink: midi.ink } }),
            }}
            label={`${gear.name}: ${reading?.medianMs == null ? 'no signal' : latenessText(reading.medianMs)}${midi ? `; MIDI, not sound: ${latenessText(midi.lateMs)}` : ''}`}
          />
        )}
      </td>
      <td className="pr-2 text-right leading-tight">
        {(isHeard || !midi) && (
          <span className="font-bold">{reading?.medianMs == null ? '—' : signed(reading.medianMs)}</span>
        )}
        {midi && (
          <span
            className={clsx('block text-xs whitespace-nowrap', midi.ink === 'clock' ? 'text-clock' : 'text-timecode')}
            title="Returning MIDI, not sound"
          >
            MIDI {signed(midi.lateMs)}
          </span>
        )}
      </td>
      {!narrow && <td className="text-right">{offset}</td>}
      <td className="text-right max-xl:hidden">{heardBpm ? decimal(heardBpm, 2) : '—'}</td>
      <td className="text-right max-xl:hidden" title={position?.words}>
        {position?.text ?? '—'}
      </td>
      <td
        className={clsx(
          'pl-4 text-xs leading-tight max-xl:hidden',
          gear.syncsTo === 'clock' ? 'text-clock' : 'text-timecode',
        )}
      >
        {fault === undefined ? (
          <span className="block" title={`${sentText(gear, true)}${wire === null ? '' : `, ${wire.full}`}`}>
            <span className="block truncate">{sentText(gear, false)}</span>
            {wire && <span className="block truncate text-soft">{wire.short}</span>}
          </span>
        ) : (
          <span className="text-wrong" title={fault}>
            nothing: fault
          </span>
        )}
      </td>
      {!narrow && (
        <td className="pr-3">
          <RowActions gear={gear} />
        </td>
      )}
    </tr>
  );
  if (!narrow) return row;
  return (
    <>
      {row}
      <tr className={clsx('ruled-b', chosen && 'bg-raised')}>
        <td colSpan={4} className="px-4 max-sm:px-2">
          <div className="flex flex-wrap items-center gap-x-4 text-sm">
            {stateMark}
            <label className="ml-auto flex items-center gap-1">
              <span className="text-soft">Offset, ms</span> {offset}
            </label>
            <RowActions gear={gear} />
          </div>
        </td>
      </tr>
    </>
  );
});

/** What the device sends back, if it is near the hub: its last beats by MIDI alone. Changes once a beat. */
function useMidiReturn(gearId: string) {
  const key = useSession(({ snapshot: { sources, leader } }) => {
    const source = leader === gearId ? undefined : sources.find((one) => one.gearId === gearId);
    const { apart = null } = source ?? {};
    if (apart?.kind !== 'rolling' || apart.drifts || Math.abs(apart.lateMs) > NEAR_MS) return null;
    return [apart.by, apart.lateMs.toFixed(1), ...apart.landingsMs.map((ms) => ms.toFixed(1))].join(' ');
  });
  return useMemo(() => {
    if (key === null) return null;
    const [by, lateMs, ...landings] = key.split(' ');
    const ink = by === 'timecode' ? ('timecode' as const) : ('clock' as const);
    return { ink, lateMs: Number(lateMs), landingsMs: landings.map(Number) };
  }, [key]);
}

/** The hub output it is reached through, and who shares it. */
function useWireText(gear: Gear): { short: string; full: string } | null {
  const rig = useSession(({ rig }) => rig);
  return useMemo(() => {
    const socket = rig?.hubSockets.find(({ portId, direction }) => direction === 'out' && portId === gear.portId);
    if (!rig || !socket || gear.portId === null) return null;
    const others = rig.gear.filter(({ id, portId }) => id !== gear.id && portId === gear.portId);
    const sharing = others.length === 0 ? '' : `, shared with ${others.map(({ name }) => name).join(', ')}`;
    const more = others.length === 0 ? '' : ` · shared`;
    return { short: `${socket.label}${more}`, full: `through ${socket.label}${sharing}` };
  }, [rig, gear.id, gear.portId]);
}

function sentText({ syncsTo, rate, sends, mmc, triggers }: Gear, full: boolean): string {
  const clock = [
    sends.clock && 'clock',
    sends.transport && (full ? 'start/stop' : 'start'),
    sends.position && (full ? 'song position' : 'SPP'),
  ];
  const words = [
    ...(syncsTo === 'timecode' ? [`timecode ${fps(rate)}`] : syncsTo === 'clock' ? clock : []),
    mmc && 'MMC',
    triggers.length > 0 && (full ? `beat triggers: ${triggers.length}` : 'triggers'),
  ].filter(Boolean);
  return words.length > 0 ? words.join(full ? ', ' : ' · ') : 'nothing';
}
