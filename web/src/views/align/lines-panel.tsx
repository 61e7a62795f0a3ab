import { extent } from 'd3-array';
import { ZoomIn, ZoomOut } from 'lucide-react';
import { useState, type KeyboardEvent } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { useAlignFlow } from '../../flow-effects/align-flow';
import { alignStatus, type AlignRow, type Plan } from '../../align/align-rows';
import { useSession } from '../../studio/session';
import { useTakeFlow } from '../../flow-effects/take-state';
import { BeatLineRule, beatLineDomain, type BeatLineDomain } from '../../parts/beat-line';
import { Button } from '../../parts/button';
import { useSingleKeys } from '../../parts/keys-in-use';
import { Notice } from '../../parts/notice';
import { inUnit, UNITS, type Unit } from '../../parts/units';
import { ownReturn } from '../../store/gear';
import type { AlignSettings, Rig } from '../../store/records';
import { TakeProgressBar } from '../bench/take-progress';
import { changeAlign } from './change-align';
import { FollowerRow } from './follower-row';
import { useAlignLook, useUnitAt, zoom } from './look';
import { decimal, whole } from '../../words/numbers';

/** The beat line of all followers: landings before and after their offsets, and what to change. */
export function LinesPanel({ plan, rig }: { plan: Plan; rig: Rig }) {
  const { rows, problem } = plan;
  const [selected, setSelected] = useState<string | null>(null);
  const widthMs = useAlignLook(({ widthMs }) => widthMs);
  const live = useLiveExtent(rows);
  const taken = rows.flatMap(({ now, before }) =>
    [now, before].flatMap((line) => line?.landings.map(({ lateMs }) => lateMs) ?? []),
  );
  const everything = beatLineDomain([...taken, ...live]);
  const aimMs = rows[0]?.meetMs ?? 0;
  const domain: BeatLineDomain = widthMs === null ? everything : [aimMs - widthMs / 2, aimMs + widthMs / 2];
  const shownMs = domain[1] - domain[0];
  const keys = ({ key }: KeyboardEvent) => {
    if (!useSingleKeys.getState().on) return;
    if (key === '+' || key === '=') zoom('in', shownMs);
    if (key === '-') zoom('out', shownMs);
    if (key === '0') useAlignLook.setState({ widthMs: null });
  };
  return (
    <div className="flex flex-col gap-2 px-5 py-3" onKeyDown={keys}>
      <Progress>
        <Bar rig={rig} plan={plan} shownMs={shownMs} />
      </Progress>
      {problem && <Notice>{problem}</Notice>}
      <PreRoll preRollMs={plan.preRollMs} rig={rig} />
      <div className="grid grid-flow-row-dense grid-cols-2 gap-x-4 md:grid-cols-[190px_minmax(0,1fr)_270px]">
        <span className="max-md:hidden" />
        <div className="max-md:col-span-2 max-md:mb-2">
          <div className="flex justify-between text-xs text-soft">
            <span>early</span>
            <span>late, ms</span>
          </div>
          <BeatLineRule domain={domain} unit="ms" />
        </div>
        <span className="max-md:hidden" />
        {rows.map((row) => (
          <FollowerRow
            key={row.gear.id}
            row={row}
            domain={domain}
            toleranceMs={rig.align.toleranceMs}
            height={rows.length > 4 ? 46 : 84}
            selected={selected === row.gear.id}
            onSelect={() => setSelected(row.gear.id)}
          />
        ))}
        <span className="self-start pt-1 text-xs text-soft max-md:col-span-2">samples at 48 kHz</span>
        <div className="max-md:col-span-2">
          <BeatLineRule domain={domain} unit="samples" />
        </div>
        <span className="max-md:hidden" />
      </div>
      <RemainingSpread rows={rows} toleranceMs={rig.align.toleranceMs} />
    </div>
  );
}

/** Target, tolerance, unit and zoom. */
function Bar({ rig, plan, shownMs }: { rig: Rig; plan: Plan; shownMs: number }) {
  const { target, toleranceMs } = rig.align;
  const { unit, widthMs } = useAlignLook();
  const choose = (value: string) => {
    const chosen: AlignSettings['target'] = value === 'grid' || value === 'latest' ? value : { id: value };
    void changeAlign({ target: chosen });
  };
  return (
    <div className="flex flex-wrap items-center gap-x-5 gap-y-1 text-sm">
      <label className="flex items-center gap-2">
        <span className="text-soft">Align to</span>
        <select
          className="border border-rule px-1.5 py-1"
          value={typeof target === 'string' ? target : target.id}
          onChange={(event) => choose(event.target.value)}
        >
          <option value="grid">The beat</option>
          <option value="latest">Slowest (delays only)</option>
          {plan.rows.map(({ gear }) => (
            <option key={gear.id} value={gear.id}>
              {gear.name}
            </option>
          ))}
        </select>
      </label>
      <ToleranceField key={toleranceMs} toleranceMs={toleranceMs} />
      <label className="flex items-center gap-2">
        <span className="text-soft">Unit</span>
        <select
          className="border border-rule px-1.5 py-1"
          value={unit}
          onChange={(event) => useAlignLook.setState({ unit: event.target.value as Unit })}
        >
          {UNITS.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
      </label>
      <span className="ml-auto flex items-center">
        <span className="mr-1 text-soft">Span {shownMs < 1 ? decimal(shownMs, 1) : whole(shownMs)} ms</span>
        <Button tone="quiet" aria-label="Zoom in" title="Zoom in (+)" onClick={() => zoom('in', shownMs)}>
          <ZoomIn size={16} aria-hidden />
        </Button>
        <Button tone="quiet" aria-label="Zoom out" title="Zoom out (−)" onClick={() => zoom('out', shownMs)}>
          <ZoomOut size={16} aria-hidden />
        </Button>
        <Button
          tone="quiet"
          disabled={widthMs === null}
          title="Zoom to fit (0)"
          onClick={() => useAlignLook.setState({ widthMs: null })}
        >
          Zoom to fit
        </Button>
      </span>
    </div>
  );
}

/** What the offsets cost: everyone waits for the earliest sender, or early sends have to be predicted. */
function PreRoll({ preRollMs, rig }: { preRollMs: number; rig: Rig }) {
  const unit = useAlignLook((look) => look.unit);
  const at = useUnitAt();
  const leader = useSession(({ snapshot }) => rig.gear.find(({ id }) => id === snapshot.leader)?.name ?? null);
  if (preRollMs <= 0.05) return null;
  return (
    <p className="text-sm text-soft">
      {leader
        ? `While ${leader} leads, early sends are predicted from its tempo.`
        : `Playback starts ${inUnit(preRollMs, unit, at)} late (pre-roll).`}
    </p>
  );
}

const MAX_TOLERANCE_MS = 20;
const MIN_TOLERANCE_MS = 0.05;

function ToleranceField({ toleranceMs }: { toleranceMs: number }) {
  const settle = (text: string) => {
    const ms = Number(text.replace(',', '.'));
    if (ms >= MIN_TOLERANCE_MS && ms <= MAX_TOLERANCE_MS && ms !== toleranceMs) void changeAlign({ toleranceMs: ms });
  };
  return (
    <label className="flex items-center gap-2">
      <span className="text-soft">Tolerance ±</span>
      <input
        inputMode="decimal"
        aria-label="Tolerance, ms"
        className="w-14 border border-rule px-1.5 py-1 text-right"
        defaultValue={toleranceMs}
        maxLength={6}
        onBlur={({ target }) => settle(target.value)}
        onKeyDown={({ key, currentTarget }) => {
          if (key === 'Enter') settle(currentTarget.value);
        }}
      />
      <span className="text-soft">ms</span>
    </label>
  );
}

/** The domain grows in steps, so that the scale doesn't jitter during playback. */
const EXTENT_STEP_MS = 5;

/** Earliest and latest of the live landings. */
function useLiveExtent(rows: AlignRow[]): number[] {
  return useSession(
    useShallow(({ rig, live, snapshot }) => {
      if (snapshot.state !== 'rolling') return [];
      const late = rows.flatMap(({ gear }) => {
        const channel = ownReturn(rig?.gear ?? [], gear);
        const reading = channel === null ? null : live?.readings[channel];
        return reading?.state === 'locked' ? reading.landings.map(({ lateMs }) => lateMs) : [];
      });
      const [low, high] = extent(late);
      if (low === undefined) return [];
      return [Math.floor(low / EXTENT_STEP_MS), Math.ceil(high / EXTENT_STEP_MS)].map(
        (steps) => steps * EXTENT_STEP_MS,
      );
    }),
  );
}

/** Progress in place of the settings while a take runs; otherwise the outcome of the last Align all. */
function Progress({ children }: { children: React.ReactNode }) {
  const flow = useAlignFlow(({ flow }) => flow);
  const taking = useTakeFlow(({ flow }) => flow.state !== 'idle');
  const trouble = useTakeFlow(({ flow }) => (flow.state === 'idle' ? flow.problem : null));
  const unchanged = useSession(({ rig }) => flow.state === 'idle' && flow.rig === rig);
  const running = flow.state === 'running';
  return (
    <>
      {taking ? <TakeProgressBar words={running ? passText(flow.round, flow.step) : ''} /> : children}
      {!taking && trouble && <Notice>{trouble}</Notice>}
      {!running && unchanged && flow.said && !trouble && (
        <p className="text-sm" role="status">
          {flow.said}
        </p>
      )}
    </>
  );
}

function passText(round: number, step: 'measuring' | 'applying' | 'proving'): string {
  if (step === 'measuring') return 'Measuring all';
  return step === 'proving' ? `Confirming pass ${round - 1}` : `Applying pass ${round}`;
}

/** The jitter that no offset can reduce. */
function RemainingSpread({ rows, toleranceMs }: { rows: AlignRow[]; toleranceMs: number }) {
  const proved = rows.filter((row) => row.now?.report && alignStatus(row, toleranceMs) === 'there');
  if (proved.length === 0) return null;
  return (
    <section aria-label="Remaining spread" className="text-sm">
      <p className="text-soft">
        <b className="text-ink">Remaining spread is the devices’ own jitter;</b> no offset can reduce it:{' '}
        {proved.map(({ gear, now }) => `${gear.name} ${decimal(now?.report?.spreadMs ?? 0, 1)} ms`).join(', ')}.
      </p>
    </section>
  );
}
