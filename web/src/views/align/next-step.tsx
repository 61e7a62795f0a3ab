import { alignAll, applyOffsets, measureAll, useAlignFlow } from '../../flow-effects/align-flow';
import { needsApplying, alignStatus, type Plan } from '../../align/align-rows';
import { undoOrRedo } from '../../studio/rig';
import { useSession } from '../../studio/session';
import { obstacle } from '../../flow-effects/take-flow';
import { useTakeFlow } from '../../flow-effects/take-state';
import { Button } from '../../parts/button';
import { count } from '../../words/numbers';

/** Align all in one press, or step by step: measure, apply, confirm. */
export function NextStep({ plan: { rows }, toleranceMs }: { plan: Plan; toleranceMs: number }) {
  const rig = useSession(({ rig }) => rig);
  const input = useSession(({ input }) => input);
  const canUndo = useSession(({ undo }) => undo.length > 0);
  const taking = useTakeFlow(({ flow }) => flow.state !== 'idle');
  const aligning = useAlignFlow(({ flow }) => flow.state === 'running');
  const busy = taking || aligning;
  const gear = rows.map((row) => row.gear);
  const why = rig ? obstacle(rig, gear, input, { inTurns: true }) : null;
  const toApply = rows.filter((row) => needsApplying(row, toleranceMs));
  const standings = rows.map((row) => alignStatus(row, toleranceMs));
  const applied = standings.includes('applied');
  const tried = rows.some(({ now, before }) => now && before);
  const again = rows.flatMap(({ gear }, i) => (/stale|contradicted/.test(standings[i] ?? '') ? [gear.id] : []));
  const done = standings.every((standing) => standing === 'there');
  return (
    <div className="flex flex-wrap items-center gap-2 py-1.5">
      {why && <span className="text-sm text-attention">{why}</span>}
      <Button tone={done ? 'plain' : 'strong'} disabled={busy || why !== null} onClick={() => void alignAll()}>
        Align all
      </Button>
      <Button className="ml-4" disabled={busy || why !== null} onClick={() => void measureAll(applied || tried)}>
        {applied ? 'Take proof' : tried ? 'Repeat proof' : 'Measure all'}
      </Button>
      {again.length > 0 && again.length < rows.length && (
        <Button disabled={busy || why !== null} onClick={() => void measureAll(false, again)}>
          Measure {again.length} again
        </Button>
      )}
      {toApply.length > 0 && (
        <Button disabled={busy} onClick={() => void applyOffsets(toApply)}>
          Apply {count(toApply.length, 'offset')}
        </Button>
      )}
      <Button className="ml-4" disabled={!canUndo || taking} onClick={() => void undoOrRedo('undo')}>
        Undo
      </Button>
    </div>
  );
}
