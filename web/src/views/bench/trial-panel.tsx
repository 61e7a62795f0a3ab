import { useMemo, useState } from 'react';
import { Link } from 'react-router';
import { cancelTrial, runTrial, skipCandidate, useTrial } from '../../flow-effects/leader-trial';
import { useTakeFlow } from '../../flow-effects/take-state';
import { Button } from '../../parts/button';
import { aspectText, LEADER_ASPECTS, trialVerdict } from '../../parts/leader-words';
import { Notice } from '../../parts/notice';
import { withAudioReturn } from '../../store/gear';
import { bestLeader } from '../../store/leader-figures';
import { useLeaderFigures, useTrialCandidates } from '../../studio/leader-candidates';
import { useSession } from '../../studio/session';
import { TrafficChoice, trafficLines } from './traffic-choice';

/** Who should lead: the candidates that take part. */
export function TrialPanel() {
  const candidates = useTrialCandidates();
  const all = useSession(({ rig }) => rig?.gear) ?? [];
  const gear = withAudioReturn(all);
  const [lineId, setLineId] = useState('');
  const line = trafficLines(all).find(({ portId }) => portId === lineId) ?? null;
  const [left, setLeft] = useState<readonly string[]>([]);
  const runs = useTrial(({ words }) => words !== null);
  const busy = useTakeFlow(({ flow }) => flow.state !== 'idle');
  const chosen = candidates.filter(({ id }) => !left.includes(id));
  const toggle = (id: string) => setLeft(left.includes(id) ? left.filter((one) => one !== id) : [...left, id]);
  return (
    <div className="flex flex-col gap-4">
      <p className="text-sm">
        Each candidate leads for about two minutes: its clock, its followers and four starts are measured. The rig stays
        as it is.
      </p>
      <fieldset className="flex flex-col gap-1 text-sm">
        <legend className="mb-1 text-xs text-soft">Candidates</legend>
        {candidates.map(({ id, name }) => (
          <label key={id} className="flex items-center gap-2">
            <input
              type="checkbox"
              className="size-4 accent-[var(--ink)]"
              checked={!left.includes(id)}
              onChange={() => toggle(id)}
            />
            {name}
          </label>
        ))}
      </fieldset>
      {candidates.length < 2 && (
        <p className="text-sm text-soft">
          Only the hub can lead. Connect the MIDI output of another device to the hub in{' '}
          <Link to="/rig" className="underline underline-offset-2">
            Rig
          </Link>
          .
        </p>
      )}
      <TrafficChoice lineId={lineId} onChange={setLineId} />
      {gear.length === 0 && <p className="text-sm text-soft">No follower has an audio return. Set one in Rig.</p>}
      <Button
        tone="strong"
        disabled={busy || runs || chosen.length === 0 || gear.length === 0}
        onClick={() => void runTrial(chosen, gear, line)}
      >
        Start trial
      </Button>
    </div>
  );
}

/** The step of a trial under way, with the ways out of it. */
export function TrialProgress() {
  const { words, problem } = useTrial();
  if (problem !== null) return <Notice>{problem}</Notice>;
  if (words === null) return null;
  return (
    <div className="flex items-center gap-4 border border-ink bg-raised px-4 py-1.5">
      <p role="status" className="flex-1 text-sm">
        {words}
      </p>
      <Button onClick={skipCandidate}>Skip candidate</Button>
      <Button onClick={cancelTrial}>Cancel trial</Button>
    </div>
  );
}

/** The candidates side by side, with what was measured while each of them led. */
export function TrialResult() {
  const candidates = useTrialCandidates();
  const figures = useLeaderFigures(useMemo(() => candidates.map(({ id }) => id), [candidates]));
  const best = bestLeader(figures);
  const nameOf = (id: string) => candidates.find((one) => one.id === id)?.name ?? id;
  return (
    <div className="flex flex-col gap-4">
      <TrialProgress />
      <h2 className="text-lg font-bold">Who should lead?</h2>
      <p className="max-w-prose">{trialVerdict(figures, nameOf)}</p>
      <table className="w-fit text-sm">
        <caption className="sr-only">What was measured while each candidate led</caption>
        <thead className="text-left">
          <tr className="ruled-b">
            <td />
            {figures.map(({ id }) => (
              <th key={id} scope="col" className="py-1.5 pr-6">
                {nameOf(id)}
                {id === best?.id && <span className="font-normal text-soft"> · best</span>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {LEADER_ASPECTS.map((aspect) => (
            <tr key={aspect.title} className="ruled-b">
              <th scope="row" className="py-1.5 pr-6 text-left font-normal text-soft">
                {aspect.title}
              </th>
              {figures.map((one) => (
                <td key={one.id} className="pr-6">
                  {aspectText(aspect, one)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="max-w-prose text-sm text-soft">
        From the newest takes of each candidate. Clock jitter with notes is measured if the trial runs with test
        traffic.
      </p>
    </div>
  );
}
