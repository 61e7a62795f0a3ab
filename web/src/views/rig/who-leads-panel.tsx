import { compareLeaders, HUB_ID, type Candidate } from '@metronomo/core';
import { ChevronDown, ChevronUp, X } from 'lucide-react';
import { changeRig } from '../../hub/session';
import { Button } from '../../parts/button';
import { Field, Select } from '../../parts/field';
import type { Gear, Rig } from '../../store/records';
import { planOf } from '../../store/rig-plan';

const FREEWHEELS_MS = [250, 500, 1000, 2000, 5000];

/** Who sets the time, with reasons; who does if that one is lost; and in which language each takes it. */
export function WhoLeadsPanel({ rig }: { rig: Rig }) {
  const candidates = compareLeaders(planOf(rig));
  const [leader = HUB_ID] = rig.leaders;
  const nameOf = (id: string) => (id === HUB_ID ? 'Hub' : (rig.gear.find((one) => one.id === id)?.name ?? id));
  return (
    <section aria-label="Who leads">
      <h2 className="mb-3 text-lg font-bold">Who leads</h2>
      <ul>
        {candidates.map((one, i) => (
          <li key={one.gearId} className="ruled-t py-2.5">
            <div className="flex items-center justify-between gap-2">
              <p className="font-bold">
                {nameOf(one.gearId)}
                {i === 0 && leader !== one.gearId && (
                  <span className="ml-2 text-sm font-normal text-soft">proposed</span>
                )}
              </p>
              {leader === one.gearId ? (
                <span className="px-3 py-1.5 text-sm">leads</span>
              ) : (
                <Button
                  aria-label={`Let it lead: ${nameOf(one.gearId)}`}
                  onClick={() => setLeaders((before) => [one.gearId, ...before.filter((id) => id !== one.gearId)])}
                >
                  Let it lead
                </Button>
              )}
            </div>
            <p className="mt-0.5 text-sm text-soft">{reasons(one, nameOf)}</p>
          </li>
        ))}
      </ul>
      <FallbackOrder leaders={rig.leaders} candidates={candidates} nameOf={nameOf} />
      {(leader !== HUB_ID || rig.leaders.length > 1) && <Following rig={rig} />}
      <Languages gear={rig.gear.filter(({ id }) => id !== leader)} />
    </section>
  );
}

function setLeaders(change: (before: string[]) => string[]): void {
  void changeRig((rig) => ({ ...rig, leaders: change(rig.leaders) }));
}

function FallbackOrder({
  leaders,
  candidates,
  nameOf,
}: {
  leaders: readonly string[];
  candidates: readonly Candidate[];
  nameOf: (id: string) => string;
}) {
  const [, ...rest] = leaders;
  const left = candidates.filter(({ gearId }) => !leaders.includes(gearId));
  const swap = (at: number) =>
    setLeaders((before) => before.map((id, i) => (i === at ? before[at + 1] : i === at + 1 ? before[at] : id) ?? id));
  return (
    <section aria-label="Fallback order" className="ruled-t mt-2 pt-3">
      <h3 className="font-bold">If it falls silent</h3>
      <p className="text-sm text-soft">
        All run on at the last tempo for a moment. Then the next in order leads; if nobody can, all stop.
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
                aria-label={`${nameOf(id)} earlier`}
                onClick={() => swap(i)}
              >
                <ChevronUp size={16} aria-hidden />
              </Button>
              <Button
                tone="quiet"
                className="!px-1.5"
                disabled={i === rest.length - 1}
                aria-label={`${nameOf(id)} later`}
                onClick={() => swap(i + 1)}
              >
                <ChevronDown size={16} aria-hidden />
              </Button>
              <Button
                tone="quiet"
                className="!px-1.5"
                aria-label={`${nameOf(id)} out of the order`}
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
          <Field label="Then">
            {(id) => (
              <Select id={id} value="" onChange={({ target }) => setLeaders((before) => [...before, target.value])}>
                <option value="" disabled>
                  stop; or choose who comes next
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

function Following({ rig }: { rig: Rig }) {
  const change = (next: Partial<Rig['following']>) =>
    void changeRig((before) => ({ ...before, following: { ...before.following, ...next } }));
  return (
    <section aria-label="How it is followed" className="mt-4 grid grid-cols-2 gap-3">
      <Field label="Follows">
        {(id) => (
          <Select
            id={id}
            value={rig.following.response}
            onChange={({ target }) => change({ response: target.value as Rig['following']['response'] })}
          >
            <option value="steady">steady: smooth</option>
            <option value="quick">quick: turns at once</option>
          </Select>
        )}
      </Field>
      <Field label="Runs on without it for">
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

const TAKES = { clock: 'clock', timecode: 'timecode', nothing: 'nothing' } as const;

function Languages({ gear }: { gear: readonly Gear[] }) {
  if (gear.length === 0) return null;
  const take = (id: string, takes: Gear['takes']) =>
    void changeRig((rig) => ({ ...rig, gear: rig.gear.map((one) => (one.id === id ? { ...one, takes } : one)) }));
  return (
    <section aria-label="Who takes what" className="ruled-t mt-4 pt-3">
      <h3 className="mb-1 font-bold">Takes its time by</h3>
      {gear.map(({ id, name, takes }) => (
        <div key={id} className="flex items-center justify-between gap-3 py-0.5 text-sm">
          <label htmlFor={`takes-${id}`} className="truncate">
            {name}
          </label>
          <div className="w-32 shrink-0">
            <Select id={`takes-${id}`} value={takes} onChange={({ target }) => take(id, target.value as Gear['takes'])}>
              {Object.entries(TAKES).map(([value, word]) => (
                <option key={value} value={value}>
                  {word}
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
    one.leftOut.length === 0 ? 'Everybody can follow it.' : `Would leave out ${list(one.leftOut)}.`,
    one.needTimecode.length > 0 && `${list(one.needTimecode)} needs timecode, which it does not send.`,
    one.gearId !== HUB_ID && one.throughHub && 'The hub makes its time anew for the others.',
    one.gearId !== HUB_ID && !one.throughHub && 'Its time does not reach the hub: no cable.',
    one.turnsTempo && 'Its player turns the tempo.',
  ]
    .filter(Boolean)
    .join(' ');
}
