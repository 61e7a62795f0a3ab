import { count } from '../../words/numbers';
import { Button } from '../../parts/button';
import { useSession } from '../../studio/session';
import { whyCountIn } from '../../studio/transport';
import { command } from '../../studio/workers';

/** How the next play begins, and whether it records. */
export function PlayRow() {
  const rig = useSession(({ rig }) => rig);
  const stopped = useSession(({ snapshot }) => snapshot.state === 'stopped');
  const records = useSession(({ snapshot }) => snapshot.records);
  const why = useSession(({ rig, snapshot }) => (rig ? whyCountIn(rig, snapshot) : null));
  const armed = rig?.gear.filter(({ mmc, mayRecord = false }) => mmc && mayRecord) ?? [];
  const says = stopped && why !== null && why !== 'chosen' && rig;
  if (!says && armed.length === 0) return null;
  return (
    <div className="ruled-b flex flex-wrap items-center gap-3 px-4 py-1.5 text-sm">
      {armed.length > 0 && (
        <Button aria-pressed={records} onClick={() => command({ kind: 'record', on: !records })}>
          {records ? 'Recording on' : 'Record'}
        </Button>
      )}
      {armed.length > 0 && (
        <span className="text-soft">
          {records && stopped
            ? `Play starts recording on ${armed.map(({ name }) => name).join(', ')}.`
            : `Records on ${armed.map(({ name }) => name).join(', ')}. Stop ends it.`}
        </span>
      )}
      {says && (
        <span role="status">
          Play begins with a count-in of {count(rig.song.countInBars, 'bar')}, because {why}. You can turn it off under
          Song.
        </span>
      )}
    </div>
  );
}
