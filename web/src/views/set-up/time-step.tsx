import { Link } from 'react-router';
import { alignStatus, type AlignRow } from '../../align/align-rows';
import { usePlan } from '../../align/use-rows';
import { alignAll, useAlignFlow } from '../../flow-effects/align-flow';
import { obstacle } from '../../flow-effects/take-flow';
import { useTakeFlow } from '../../flow-effects/take-state';
import { Button } from '../../parts/button';
import { TakeProgressBar } from '../bench/take-progress';
import { latenessText, offsetText } from '../../parts/words';
import type { Rig } from '../../store/records';
import { useSession } from '../../studio/session';
import { count } from '../../words/numbers';
import { StepFrame } from './step-frame';

const STEPS = { measuring: 'Measuring', applying: 'Applying offsets', proving: 'Confirming' } as const;

/** Everything that was found is measured, given its offset and confirmed. */
export function TimeStep({ rig, onAnother }: { rig: Rig; onAnother: () => void }) {
  const input = useSession(({ input }) => input);
  const flow = useAlignFlow(({ flow }) => flow);
  const problem = useTakeFlow(({ flow }) => (flow.state === 'idle' ? flow.problem : null));
  const taking = useTakeFlow(({ flow }) => flow.state !== 'idle');
  const ready = rig.gear.filter(({ portId, returnChannel }) => portId !== null && returnChannel !== null);
  const why = obstacle(rig, ready, input, { inTurns: true });
  const running = flow.state === 'running';
  const said = flow.state === 'idle' && flow.rig === rig ? flow.said : null;
  const { rows } = usePlan();
  const { toleranceMs } = rig.align;
  // The rows are read from the store, and may be older than what was said.
  const inTime = said !== null && flow.state === 'idle' && flow.inTime;
  return (
    <StepFrame
      above="Last step"
      title={inTime ? 'In time' : said ? 'Not in time yet' : `Bring ${count(ready.length, 'device')} into time`}
      says={
        said ??
        'The hub plays eight bars, measures how late each device sounds, sets its offset, and plays again to confirm it. Have drum machines play quarter notes with a sharp attack.'
      }
      ways={
        <>
          <Button onClick={onAnother} disabled={running}>
            Add another device
          </Button>
          <Button
            tone={inTime ? 'plain' : 'strong'}
            disabled={running || taking || why !== null}
            onClick={() => void alignAll()}
          >
            {said ? 'Measure again' : 'Bring into time'}
          </Button>
          {said && (
            <>
              <Link to="/run" className="border border-ink bg-ink px-3 py-1.5 text-sm text-sheet">
                Play in Run
              </Link>
              <Link to="/align" className="border border-ink bg-raised px-3 py-1.5 text-sm">
                See every offset in Align
              </Link>
            </>
          )}
        </>
      }
    >
      {why && ready.length > 0 && <p className="text-attention">{why}</p>}
      {ready.length === 0 && (
        <p className="text-attention">No device has both an output port and an audio return yet. Add one first.</p>
      )}
      {problem && !running && <p className="text-attention">{problem}</p>}
      {said && <Results rows={rows} toleranceMs={toleranceMs} />}
      {flow.state === 'running' && (
        <div role="status" className="flex flex-col gap-2">
          <b>
            Pass {flow.round}: {STEPS[flow.step]}
          </b>
          <TakeProgressBar />
        </div>
      )}
    </StepFrame>
  );
}

/** Each device before and after. */
function Results({ rows, toleranceMs }: { rows: readonly AlignRow[]; toleranceMs: number }) {
  return (
    <table className="w-fit text-sm">
      <caption className="sr-only">Before and after</caption>
      <thead className="text-left text-xs text-soft">
        <tr>
          {['Device', 'Before', 'Offset', 'Now'].map((title) => (
            <th key={title} className="ruled-b pr-8 pb-1 font-normal">
              {title}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row.gear.id}>
            <th scope="row" className="ruled-b py-1.5 pr-8 text-left">
              {row.gear.name}
            </th>
            <td className="ruled-b pr-8">{row.before?.report ? latenessText(row.before.report.medianMs) : '—'}</td>
            <td className="ruled-b pr-8">{offsetText(row.gear.offsetMs)}</td>
            <td
              className={`ruled-b pr-8 ${alignStatus(row, toleranceMs) === 'there' ? 'text-good' : 'text-attention'}`}
            >
              {row.now?.report ? latenessText(row.now.report.medianMs) : 'not measured'}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
