import { Button } from '../parts/button';
import { useTakeFlow } from '../flow-effects/take-state';
import { changeToNewer, useInstalled } from '../studio/installed';
import { useSession } from '../studio/session';

/** A newer version is used when the musician says so, and never in the middle of playing or measuring. */
export function NewerVersion() {
  const isNewer = useInstalled((state) => state.isNewer);
  const plays = useSession(({ snapshot }) => snapshot.willRoll || snapshot.state !== 'stopped');
  const measures = useTakeFlow(({ flow }) => flow.state !== 'idle');
  if (!isNewer) return null;
  return (
    <div role="status" className="ruled-b flex flex-wrap items-center gap-3 bg-raised px-4 py-1.5 text-sm print:hidden">
      <span>A newer version of Metronomo is ready.</span>
      <Button disabled={plays || measures} onClick={changeToNewer}>
        Update
      </Button>
      <span className="text-soft">
        {plays || measures ? 'Stop first: the page reloads.' : 'The page reloads. Your rigs and takes stay.'}
      </span>
    </div>
  );
}
