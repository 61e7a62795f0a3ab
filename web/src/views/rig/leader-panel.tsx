import { compareLeaders, HUB_ID, type Candidate } from '@metronomo/core';
import { ChevronDown, ChevronUp, X } from 'lucide-react';
import { useMemo } from 'react';
import { Link } from 'react-router';
import { ask } from '../../studio/asked';
import { changeRig } from '../../studio/rig';
import { Button } from '../../parts/button';
import { Field, Select } from '../../parts/field';
import { OffsetField } from '../../parts/offset-field';
import { measuredText } from '../../parts/leader-words';
import { offsetText } from '../../parts/words';
import type { LeaderFigures } from '../../store/leader-figures';
import { useLeaderFigures } from '../../studio/leader-candidates';
import type { Gear, Rig } from '../../store/records';
import { planOf, withSyncOffset } from '../../store/rig-plan';

const FREEWHEELS_MS = [250, 500, 1000, 2000, 5000];

/** The leader and the reasons, who takes over when sync is lost, and what each device syncs to. */
export function LeaderPanel({ rig }: { rig: Rig }) {
  const candidates = useMemo(() => compareLeaders(planOf(rig)), [rig]);
  const figures = useLeaderFigures(useMemo(() => candidates.map(({ gearId }) => gearId), [candidates]));
  const [leader = HUB_ID] = rig.leaders;
  const current = candidates.find(({ gearId }) => gearId === leader);
  const others = candidates.filter((one) => one !== current);
  const [best] = candidates;
  const nameOf = (id: string) => (id === HUB_ID ? 'Hub' : (rig.gear.find((one) => one.id === id)?.name ?? id));
  return (
    <section aria-label="Leader">
      <h2 className="mb-3 text-lg font-bold">Leader</h2>
      <TakeOverField takeOver={rig.takeOver ?? 'inOrder'} />
      {current && <CandidateRow one={current} isLeader figures={figures} nameOf={nameOf} />}
      {(leader !== HUB_ID || rig.leaders.length > 1) && <Following rig={rig} />}
      <FallbackOrder
        anyone={rig.takeOver === 'whoeverPlays'}
        leaders={rig.leaders}
        candidates={candidates}
        nameOf={nameOf}
      />
      {others.length > 0 && (
        <section aria-label="Other candidates" className="mt-4">
          <h3 className="font-bold">Who else could lead</h3>
          <ul>
            {others.map((one) => (
              <li key={one.gearId}>
                <CandidateRow one={one} isRecommended={one === best} figures={figures} nameOf={nameOf} />
              </li>
            ))}
          </ul>
        </section>
      )}
      <p className="mt-3 text-sm">
        <Link to="/bench" className="underline underline-offset-2" onClick={() => ask('trial')}>
          Compare leaders by measurement →
        </Link>
      </p>
      <SyncByDevice gear={rig.gear.filter(({ id }) => id !== leader)} />
    </section>
  );
}

function CandidateRow({
  one,
  isLeader = false,
  isRecommended = false,
  figures,
  nameOf,
}: {
  one: Candidate;
  figures: LeaderFigures[];
  isLeader?: boolean;
  isRecommended?: boolean;
  nameOf: (id: string) => string;
}) {
  const own = figures.find(({ id }) => id === one.gearId);
  const measured = own ? measuredText(own) : null;
  return (
    <div className="ruled-t py-2.5">
      <div className="flex items-center justify-between gap-2">
        <p className="font-bold">
          {nameOf(one.gearId)}
          {isRecommended && <span className="ml-2 text-sm font-normal text-soft">recommended</span>}
        </p>
        {isLeader ? (
          <span className="px-3 py-1.5 text-sm">Leader</span>
        ) : (
          <Button
            aria-label={`Make leader: ${nameOf(one.gearId)}`}
            onClick={() => setLeaders((before) => [one.gearId, ...before.filter((id) => id !== one.gearId)])}
          >
            Make leader
          </Button>
        )}
      </div>
      <p className="mt-0.5 text-sm text-soft">{reasons(one, nameOf)}</p>
      {measured !== null && <p className="mt-0.5 text-sm text-soft">{measured}</p>}
    </div>
  );
}

function setLeaders(change: (before: string[]) => string[]): void {
  void changeRig((rig) => ({ ...rig, leaders: change(rig.leaders) }));
}

function TakeOverField({ takeOver }: { takeOver: NonNullable<Rig['takeOver']> }) {
  return (
    <div className="pb-2">
      <Field label="Who takes the lead">
        {(id) => (
          <Select
            id={id}
            value={takeOver}
            onChange={({ target }) =>
              void changeRig((rig) => ({ ...rig, takeOver: target.value as NonNullable<Rig['takeOver']> }))
            }
          >
            <option value="inOrder">The leader below</option>
            <option value="whoeverPlays">Whoever starts to play</option>
          </Select>
        )}
      </Field>
    </div>
  );
}

function FallbackOrder({
  anyone,
  leaders,
  candidates,
  nameOf,
}: {
  anyone: boolean;
  leaders: readonly string[];
  candidates: readonly Candidate[];
  nameOf: (id: string) => string;
}) {
  const rest = anyone ? leaders : leaders.slice(1);
  const hidden = leaders.length - rest.length;
  const left = candidates.filter(({ gearId }) => !leaders.includes(gearId));
  const swap = (row: number) => {
    const at = row + hidden;
    setLeaders((before) => before.map((id, i) => (i === at ? before[at + 1] : i === at + 1 ? before[at] : id) ?? id));
  };
  return (
    <section aria-label="Fallback order" className="ruled-t mt-2 pt-3">
      <h3 className="font-bold">{anyone ? 'May lead' : 'If sync is lost'}</h3>
      <p className="text-sm text-soft">
        {anyone
          ? 'Of these, the first one to play leads for as long as it plays. Then another one that plays takes over.'
          : 'Everyone keeps the last tempo briefly, then the next in line takes over. If no one can, playback stops.'}
      </p>
      <ol className="mt-1">
        {rest.map((id, i) => (
          <li key={id} className="ruled-b flex items-center justify-between py-1">
            <span>
              {i + 1}. {nameOf(id)}
            </span>
            <span className="flex">
              <Button
                tone="quiet"
                className="!px-1.5"
                disabled={i === 0}
                aria-label={`Move ${nameOf(id)} up`}
                onClick={() => swap(i)}
              >
                <ChevronUp size={16} aria-hidden />
              </Button>
              <Button
                tone="quiet"
                className="!px-1.5"
                disabled={i === rest.length - 1}
                aria-label={`Move ${nameOf(id)} down`}
                onClick={() => swap(i + 1)}
              >
                <ChevronDown size={16} aria-hidden />
              </Button>
              <Button
                tone="quiet"
                className="!px-1.5"
                aria-label={`Remove ${nameOf(id)} from the fallback order`}
                onClick={() => setLeaders((before) => before.filter((one) => one !== id))}
              >
                <X size={16} aria-hidden />
              </Button>
            </span>
          </li>
        ))}
      </ol>
      {left.length > 0 && (
        <div className="mt-2">
          <Field label={anyone ? 'Add to the list' : 'Next fallback'}>
            {(id) => (
              <Select id={id} value="" onChange={({ target }) => setLeaders((before) => [...before, target.value])}>
                <option value="" disabled>
                  {anyone ? 'choose a device' : 'none: playback stops'}
                </option>
                {left.map(({ gearId }) => (
                  <option key={gearId} value={gearId}>
                    {nameOf(gearId)}
                  </option>
                ))}
              </Select>
            )}
          </Field>
        </div>
      )}
    </section>
  );
}

/** Measured or typed: it moves everyone onto the leader's sound. */
function SyncOffset({ gear: { id, name, leadsWith, syncOffsetMs = 0 }, bpm }: { gear: Gear; bpm: number }) {
  const sync = `${leadsWith} from ${name}`;
  return (
    <div className="col-span-2 flex items-start justify-between gap-4">
      <div>
        <p className="text-sm font-bold">Incoming sync offset</p>
        <p className="text-sm text-soft">
          {syncOffsetMs === 0
            ? `Everyone plays with the ${sync}.`
            : `Everyone plays ${offsetText(syncOffsetMs)} than the ${sync}.`}{' '}
          <Link to="/bench" className="underline underline-offset-2" onClick={() => ask('leaderSound')}>
            Measure →
          </Link>
        </p>
      </div>
      <OffsetField
        label="Incoming sync offset"
        valueMs={syncOffsetMs}
        bpm={bpm}
        onChange={(ms) => void changeRig((before) => withSyncOffset(before, id, ms))}
      />
    </div>
  );
}

function GivesField({ gear: { id, name, gives = 'both' } }: { gear: Gear }) {
  const change = (value: string) =>
    void changeRig((rig) => ({
      ...rig,
      gear: rig.gear.map((one) => (one.id === id ? { ...one, gives: value as NonNullable<Gear['gives']> } : one)),
    }));
  return (
    <div className="col-span-2">
      <Field label={`${name} controls`}>
        {(field) => (
          <Select id={field} value={gives} onChange={({ target }) => change(target.value)}>
            <option value="both">Tempo, start and stop</option>
            <option value="tempo">Tempo only</option>
            <option value="transport">Start and stop only</option>
          </Select>
        )}
      </Field>
    </div>
  );
}

function Following({ rig }: { rig: Rig }) {
  const leader = rig.gear.find(({ id }) => id === rig.leaders[0]);
  const change = (next: Partial<Rig['following']>) =>
    void changeRig((before) => ({ ...before, following: { ...before.following, ...next } }));
  return (
    <section aria-label="External sync" className="ruled-t mt-2 grid grid-cols-[3fr_2fr] gap-3 pt-3">
      {leader && leader.leadsWith === 'clock' && <GivesField gear={leader} />}
      {leader && <SyncOffset gear={leader} bpm={rig.bpm} />}
      <Field label="Response">
        {(id) => (
          <Select
            id={id}
            value={rig.following.response}
            onChange={({ target }) => change({ response: target.value as Rig['following']['response'] })}
          >
            <option value="steady">Steady: smooths jitter</option>
            <option value="quick">Quick: follows changes</option>
          </Select>
        )}
      </Field>
      <Field label="Freewheel time">
        {(id) => (
          <Select
            id={id}
            value={rig.following.freewheelMs}
            onChange={({ target }) => change({ freewheelMs: Number(target.value) })}
          >
            {FREEWHEELS_MS.map((ms) => (
              <option key={ms} value={ms}>
                {ms / 1000} s
              </option>
            ))}
          </Select>
        )}
      </Field>
    </section>
  );
}

const SYNC_LABELS = { clock: 'MIDI clock', timecode: 'timecode', nothing: 'nothing' } as const;

function SyncByDevice({ gear }: { gear: readonly Gear[] }) {
  if (gear.length === 0) return null;
  const setSync = (id: string, syncsTo: Gear['syncsTo']) =>
    void changeRig((rig) => ({ ...rig, gear: rig.gear.map((one) => (one.id === id ? { ...one, syncsTo } : one)) }));
  return (
    <section aria-label="Sync by device" className="ruled-t mt-4 pt-3">
      <h3 className="mb-1 font-bold">Sync by device</h3>
      {gear.map(({ id, name, syncsTo }) => (
        <div key={id} className="flex items-center justify-between gap-3 py-0.5 text-sm">
          <label htmlFor={`syncs-to-${id}`} className="truncate">
            {name}
          </label>
          <div className="w-32 shrink-0">
            <Select
              id={`syncs-to-${id}`}
              value={syncsTo}
              onChange={({ target }) => setSync(id, target.value as Gear['syncsTo'])}
            >
              {Object.entries(SYNC_LABELS).map(([value, label]) => (
                <option key={value} value={value}>
                  {label}
                </option>
              ))}
            </Select>
          </div>
        </div>
      ))}
    </section>
  );
}

function reasons(one: Candidate, nameOf: (id: string) => string): string {
  const list = (ids: string[]) =>
    ids.length > 3
      ? `${ids.slice(0, 2).map(nameOf).join(', ')} and ${ids.length - 2} more`
      : ids.map(nameOf).join(', ');
  return [
    one.leftOut.length === 0 ? 'All gear can follow.' : `${list(one.leftOut)} couldn’t follow.`,
    one.needTimecode.length > 0 && `Doesn’t send timecode, which ${list(one.needTimecode)} would need.`,
    one.gearId !== HUB_ID && one.throughHub && 'The hub regenerates the clock for everyone else.',
    one.gearId !== HUB_ID && !one.throughHub && 'Not connected to the hub.',
    one.changesTempoLive && 'The player changes tempo live.',
  ]
    .filter(Boolean)
    .join(' ');
}
