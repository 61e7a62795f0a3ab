import { useState } from 'react';
import { Link } from 'react-router';
import { changeRig, stepBack, useSession } from '../../hub/session';
import { obstacle, runTake } from '../../measure/take-flow';
import { useTakeFlow } from '../../measure/take-parts';
import { BeatLineRule, beatLineDomain } from '../../parts/beat-line';
import { Button } from '../../parts/button';
import { Notice } from '../../parts/notice';
import { TOLERANCE_MS } from '../../parts/words';
import { TakeProgressBar } from '../bench/take-progress';
import { FollowerRow } from './follower-row';
import { needsApplying, type AlignRow } from './align-rows';
import { useRows } from './use-rows';

const TAKE_BARS = 8;

/** From what was measured to everybody on the beat: what to change, applied, and proved, before and after on one drawing. */
export function AlignView() {
  const rows = useRows();
  const flow = useTakeFlow(({ flow }) => flow);
  const [selected, setSelected] = useState<string | null>(null);
  const preRollMs = useSession(({ snapshot }) => snapshot.preRollMs);
  if (rows.length === 0) return <NobodyYet />;
  const domain = beatLineDomain(
    rows.flatMap(({ now, before }) =>
      [now, before].flatMap((line) => line?.landings.map(({ lateMs }) => lateMs) ?? []),
    ),
  );
  return (
    <div className="flex flex-col gap-4 p-5">
      <header className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <h2 className="text-lg font-bold">All on the beat</h2>
        <span className="flex-1 text-sm text-soft">
          onto the hub’s click · tolerance ±{TOLERANCE_MS.toFixed(1)} ms
          {preRollMs > 0 && ` · everybody waits ${preRollMs.toFixed(1)} ms at play`}
        </span>
        <NextStep rows={rows} />
      </header>
      {flow.state === 'idle' && flow.problem && <Notice>{flow.problem}</Notice>}
      {flow.state !== 'idle' && <TakeProgressBar />}
      <div className="grid grid-cols-[160px_minmax(0,1fr)_270px] gap-x-4">
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
            height={rows.length > 4 ? 52 : 92}
            selected={selected === row.gear.id}
            onSelect={() => setSelected(row.gear.id)}
          />
        ))}
        <span className="self-start pt-1 text-xs text-soft">samples at 48 kHz</span>
        <BeatLineRule domain={domain} unit="samples" />
        <span />
      </div>
      <WhatIsLeft rows={rows} />
    </div>
  );
}

/** What no offset can change: how much each follower varies by itself. */
function WhatIsLeft({ rows }: { rows: AlignRow[] }) {
  const proved = rows.filter((row) => row.now?.report && !needsApplying(row));
  if (proved.length === 0) return null;
  return (
    <section aria-label="What is left" className="max-w-prose text-sm">
      <h2 className="font-bold">What is left is their own</h2>
      <p className="text-soft">
        From beat to beat they vary by themselves, which no offset can narrow:{' '}
        {proved.map(({ gear, now }) => `${gear.name} ${now?.report?.spreadMs.toFixed(1)} ms`).join(', ')}.
      </p>
    </section>
  );
}

function NobodyYet() {
  return (
    <div className="p-10">
      <h2 className="mb-2 text-lg font-bold">Nobody to align yet</h2>
      <p className="mb-4 max-w-prose text-soft">
        Here every follower is drawn against the beat, before and after its offset.
      </p>
      <Link to="/rig" className="border border-ink bg-ink px-3 py-2 text-sm text-sheet">
        Add gear in Rig
      </Link>
    </div>
  );
}

/** The one thing to do next: measure, apply, or prove. */
function NextStep({ rows }: { rows: AlignRow[] }) {
  const rig = useSession(({ rig }) => rig);
  const input = useSession(({ input }) => input);
  const canUndo = useSession(({ undo }) => undo.length > 0);
  const busy = useTakeFlow(({ flow }) => flow.state !== 'idle');
  const gear = rows.map((row) => row.gear);
  const why = rig ? obstacle(rig, gear, input) : null;
  const toApply = rows.filter(needsApplying);
  const take = (proof: boolean) =>
    void runTake({ gearIds: gear.map(({ id }) => id), bars: TAKE_BARS, drive: 'clock', proof });
  const applied = rows.some(({ now, before }) => now === null && before !== null);
  const tried = rows.some(({ now, before }) => now && before);
  return (
    <div className="flex items-center gap-2">
      {why && <span className="text-sm text-attention">{why}</span>}
      {toApply.length > 0 && (
        <Button tone="strong" disabled={busy} onClick={() => void applyAll(toApply)}>
          Apply {toApply.length} {toApply.length === 1 ? 'offset' : 'offsets'}
        </Button>
      )}
      <Button
        tone={toApply.length > 0 ? 'plain' : 'strong'}
        disabled={busy || why !== null}
        onClick={() => take(applied || tried)}
      >
        {applied ? 'Take a proof' : tried ? 'Prove again' : 'Measure all'}
      </Button>
      <Button disabled={!canUndo || busy} onClick={() => void stepBack('undo')}>
        Undo
      </Button>
    </div>
  );
}

function applyAll(rows: readonly AlignRow[]): Promise<void> {
  const wanted = new Map(rows.map(({ gear, wantedMs }) => [gear.id, wantedMs]));
  return changeRig((rig) => ({
    ...rig,
    gear: rig.gear.map((gear) => ({ ...gear, offsetMs: wanted.get(gear.id) ?? gear.offsetMs })),
  }));
}
