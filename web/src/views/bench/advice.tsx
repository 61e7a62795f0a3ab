import { MAX_OFFSET_MS } from '@metronomo/core';
import { Link } from 'react-router';
import { Button } from '../../parts/button';
import { moveText, offsetText, signed } from '../../parts/words';
import type { Take, TakeLine, TakePlan } from '../../store/records';
import { withSyncOffset } from '../../store/rig-plan';
import { changeRig } from '../../studio/rig';
import { useSession } from '../../studio/session';

/** Smaller ones can't be heard, nor set. */
const SMALLEST_MS = 0.05;

/** What to do about a device's lateness: depends on what it was measured against. */
export function Advice({ take: { plan }, line }: { take: Take; line: TakeLine }) {
  const medianMs = line.report?.medianMs ?? 0;
  if (plan?.question === 'leaderSound') return <OntoItsSound plan={plan} medianMs={medianMs} />;
  const isOff = Math.abs(medianMs) >= SMALLEST_MS;
  if (plan?.question === 'against')
    return isOff
      ? `Set ${line.name} ${offsetText(-medianMs)}: change its offset in the leader, or on the device itself. For the value to enter, see Device offsets in Align.`
      : null;
  return (
    <>
      {isOff && `To land on the beat, ${moveText(-medianMs)}.`}
      {line.gearId && (
        <Link to="/align" className="ml-3 underline underline-offset-2">
          Align →
        </Link>
      )}
    </>
  );
}

/** The leader can't be moved by the hub; everyone else can be moved onto it. */
function OntoItsSound({ plan, medianMs }: { plan: TakePlan & { question: 'leaderSound' }; medianMs: number }) {
  const gear = useSession(({ rig }) => rig?.gear.find(({ id }) => id === plan.leaderId));
  if (!gear) return null;
  const wantedMs = plan.syncOffsetMs + medianMs;
  const isSet = Math.abs((gear.syncOffsetMs ?? 0) - wantedMs) < SMALLEST_MS;
  if (isSet) return `Everyone plays with its sound: the incoming sync offset is ${signed(gear.syncOffsetMs ?? 0)} ms.`;
  if (Math.abs(wantedMs) > MAX_OFFSET_MS) return 'That is more than the incoming sync offset can take.';
  return (
    <>
      To play with it, everyone else has to play {offsetText(medianMs)}.{' '}
      <Button
        className="ml-2"
        onClick={() => void changeRig((rig) => withSyncOffset(rig, plan.leaderId, Number(wantedMs.toFixed(2))))}
      >
        Move all onto its sound
      </Button>
    </>
  );
}
