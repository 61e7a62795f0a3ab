import { extent } from 'd3-array';
import { ZoomIn, ZoomOut } from 'lucide-react';
import { useState, type KeyboardEvent } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { useAlignFlow } from '../../align/align-flow';
import { standingOf, type AlignRow, type Plan } from '../../align/align-rows';
import { useSession } from '../../hub/session';
import { useTakeFlow } from '../../measure/take-parts';
import { BeatLineRule, beatLineDomain, type BeatLineDomain } from '../../parts/beat-line';
import { Button } from '../../parts/button';
import { Notice } from '../../parts/notice';
import { inUnit, UNITS, type Unit } from '../../parts/units';
import type { AlignSettings, Rig } from '../../store/records';
import { TakeProgressBar } from '../bench/take-progress';
import { changeAlign } from './change-align';
import { FollowerRow } from './follower-row';
import { useAlignLook, useUnitAt, zoom } from './look';

/** The beat line of all followers: where they land, where they did before, and what brings them together. */
export function LinesPanel({ plan, rig }: { plan: Plan; rig: Rig }) {
  const { rows, problem } = plan;
  const [selected, setSelected] = useState<string | null>(null);
  const widthMs = useAlignLook(({ widthMs }) => widthMs);
  const live = useLiveExtent(rows);
  const taken = rows.flatMap(({ now, before }) =>
    [now, before].flatMap((line) => line?.landings.map(({ lateMs }) => lateMs) ?? []),
  );
  const whole = beatLineDomain([...taken, ...live]);
  const aimMs = rows[0]?.meetMs ?? 0;
  const domain: BeatLineDomain = widthMs === null ? whole : [aimMs - widthMs / 2, aimMs + widthMs / 2];
  const shownMs = domain[1] - domain[0];
  const keys = ({ key }: KeyboardEvent) => {
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
      <div className="grid grid-cols-[190px_minmax(0,1fr)_270px] gap-x-4">
        <span />
        <div>
          <div className="flex justify-between text-xs text-soft">
            <span>earlier</span>
            <span>later, ms</span>
          </div>
          <BeatLineRule domain={domain} unit="ms" />
        </div>
        <span />
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
        <span className="self-start pt-1 text-xs text-soft">samples at 48 kHz</span>
        <BeatLineRule domain={domain} unit="samples" />
        <span />
      </div>
      <WhatIsLeft rows={rows} toleranceMs={rig.align.toleranceMs} />
    </div>
  );
}

/** Onto what, how near, in which unit, how closely looked at. */
function Bar({ rig, plan, shownMs }: { rig: Rig; plan: Plan; shownMs: number }) {
  const { target, toleranceMs } = rig.align;
  const { unit, widthMs } = useAlignLook();
  const at = useUnitAt();
  const leader = useSession(({ snapshot }) => rig.gear.find(({ id }) => id === snapshot.leader)?.name ?? null);
  const choose = (value: string) => {
    const chosen: AlignSettings['target'] = value === 'grid' || value === 'latest' ? value : { id: value };
    void changeAlign({ target: chosen });
  };
  return (
    <div className="flex flex-wrap items-center gap-x-5 gap-y-1 text-sm">
      <label className="flex items-center gap-2">
        <span className="text-soft">All</span>
        <select
          className="border border-rule px-1.5 py-1"
          value={typeof target === 'string' ? target : target.id}
          onChange={(event) => choose(event.target.value)}
        >
          <option value="grid">onto the beat</option>
          <option value="latest">with the slowest, nobody earlier</option>
          {plan.rows.map(({ gear }) => (
            <option key={gear.id} value={gear.id}>
              with {gear.name}
            </option>
          ))}
        </select>
      </label>
      <ToleranceField key={toleranceMs} toleranceMs={toleranceMs} />
      <label className="flex items-center gap-2">
        <span className="text-soft">said in</span>
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
      <span className="flex-1 text-soft">
        {plan.preRollMs > 0.05 &&
          (leader
            ? `while ${leader} leads, earlier is foretold from its tempo`
            : `everybody waits ${inUnit(plan.preRollMs, unit, at)} at play`)}
      </span>
      <span className="flex items-center">
        <span className="mr-1 text-soft">{shownMs < 1 ? shownMs.toFixed(1) : shownMs.toFixed(0)} ms wide</span>
        <Button tone="quiet" aria-label="Nearer" title="Nearer (+)" onClick={() => zoom('in', shownMs)}>
          <ZoomIn size={16} aria-hidden />
        </Button>
        <Button tone="quiet" aria-label="Further away" title="Further away (−)" onClick={() => zoom('out', shownMs)}>
          <ZoomOut size={16} aria-hidden />
        </Button>
        <Button
          tone="quiet"
          disabled={widthMs === null}
          title="Everything (0)"
          onClick={() => useAlignLook.setState({ widthMs: null })}
        >
          Everything
        </Button>
      </span>
    </div>
  );
}

const MOST_TOLERANCE_MS = 20;
const LEAST_TOLERANCE_MS = 0.05;

function ToleranceField({ toleranceMs }: { toleranceMs: number }) {
  const settle = (text: string) => {
    const ms = Number(text.replace(',', '.'));
    if (ms >= LEAST_TOLERANCE_MS && ms <= MOST_TOLERANCE_MS && ms !== toleranceMs)
      void changeAlign({ toleranceMs: ms });
  };
  return (
    <label className="flex items-center gap-2">
      <span className="text-soft">within ±</span>
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

/** Drawings jump less so. */
const EXTENT_STEP_MS = 5;

/** From the earliest to the latest of all that is heard just now. */
function useLiveExtent(rows: AlignRow[]): number[] {
  return useSession(
    useShallow(({ live, snapshot }) => {
      if (snapshot.state !== 'rolling') return [];
      const late = rows.flatMap(({ gear: { returnChannel } }) => {
        const reading = returnChannel === null ? null : live?.readings[returnChannel];
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

/** What is being done, in the place of the settings, which do not matter meanwhile; or what the last one came to. */
function Progress({ children }: { children: React.ReactNode }) {
  const flow = useAlignFlow(({ flow }) => flow);
  const taking = useTakeFlow(({ flow }) => flow.state !== 'idle');
  const trouble = useTakeFlow(({ flow }) => (flow.state === 'idle' ? flow.problem : null));
  const unchanged = useSession(({ rig }) => flow.state === 'idle' && flow.rig === rig);
  const running = flow.state === 'running';
  return (
    <>
      {taking ? <TakeProgressBar words={running ? roundInWords(flow.round, flow.step) : ''} /> : children}
      {!taking && trouble && <Notice>{trouble}</Notice>}
      {!running && unchanged && flow.said && !trouble && (
        <p className="text-sm" role="status">
          {flow.said}
        </p>
      )}
    </>
  );
}

function roundInWords(round: number, step: 'measuring' | 'applying' | 'proving'): string {
  if (step === 'measuring') return 'All are measured';
  return step === 'proving' ? `Round ${round - 1} is proved` : `Round ${round} is applied`;
}

/** What no offset can change: how much each follower varies by itself. */
function WhatIsLeft({ rows, toleranceMs }: { rows: AlignRow[]; toleranceMs: number }) {
  const proved = rows.filter((row) => row.now?.report && standingOf(row, toleranceMs) === 'there');
  if (proved.length === 0) return null;
  return (
    <section aria-label="What is left" className="text-sm">
      <p className="text-soft">
        <b className="text-ink">What is left is their own.</b> From beat to beat they vary, which no offset can narrow:{' '}
        {proved.map(({ gear, now }) => `${gear.name} ${now?.report?.spreadMs.toFixed(1)} ms`).join(', ')}.
      </p>
    </section>
  );
}
