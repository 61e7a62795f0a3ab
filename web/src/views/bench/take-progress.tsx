import { Progress } from 'radix-ui';
import { endTake } from '../../flow-effects/take-desk';
import { useTakeFlow } from '../../flow-effects/take-state';
import { Button } from '../../parts/button';
import { whole } from '../../words/numbers';

/** Progress of the take, with a button to finish early. `words`: the larger job it is part of. */
export function TakeProgressBar({ words: partOf = '' }: { words?: string }) {
  const flow = useTakeFlow(({ flow }) => flow);
  if (flow.state === 'idle') return null;
  const { capturedSeconds: captured = 0, wantedSeconds = 0 } = flow.progress ?? {};
  // The last audio block may extend past the end.
  const capturedSeconds = Math.min(captured, wantedSeconds);
  const isRecorded = flow.state === 'measuring';
  const words = isRecorded
    ? 'Analyzing…'
    : flow.state === 'settling'
      ? 'Settling for one bar…'
      : `Measuring: ${whole(capturedSeconds)} of ${whole(wantedSeconds)} s${flow.words ? `, ${flow.words}` : ''}`;
  return (
    <div className="flex items-center gap-4 border border-ink bg-raised px-4 py-1.5">
      {partOf && <b className="text-sm">{partOf}</b>}
      <Progress.Root
        value={isRecorded ? null : capturedSeconds}
        max={wantedSeconds || 1}
        aria-label="Take progress"
        className="h-2.5 flex-1 border border-ink"
      >
        <Progress.Indicator
          className="h-full bg-audio"
          style={{ width: isRecorded ? '100%' : `${(100 * capturedSeconds) / (wantedSeconds || 1)}%` }}
        />
      </Progress.Root>
      {/* Announced now and then. */}
      <span className="w-44 text-sm">{words}</span>
      {!isRecorded && <Button onClick={endTake}>Finish early</Button>}
    </div>
  );
}
