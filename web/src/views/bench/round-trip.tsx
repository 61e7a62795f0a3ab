import { useLiveQuery } from 'dexie-react-hooks';
import { runCalibration } from '../../flow-effects/experiments';
import { useTakeFlow } from '../../flow-effects/take-state';
import { Button } from '../../parts/button';
import { findCalibration, findStaleCalibration } from '../../store/calibrations';
import type { Calibration } from '../../store/records';
import { useSession } from '../../studio/session';
import { decimal } from '../../words/numbers';

/** The round trip of the input in use; undefined until it is known whether there is one. */
export function useCalibration(): Calibration | null | undefined {
  const input = useSession(({ input }) => input);
  const rig = useSession(({ rig }) => rig);
  const bufferMs = useSession(({ bufferMs }) => bufferMs);
  return useLiveQuery(() => findCalibration({ input, rig }, bufferMs), [input, rig, bufferMs]);
}

/** A round trip that no longer counts: why, and a press that measures it again on the same input. */
export function StaleRoundTrip() {
  const input = useSession(({ input }) => input);
  const rig = useSession(({ rig }) => rig);
  const bufferMs = useSession(({ bufferMs }) => bufferMs);
  const stale = useLiveQuery(() => findStaleCalibration({ input, rig }, bufferMs), [input, rig, bufferMs]);
  const busy = useTakeFlow(({ flow }) => flow.state !== 'idle');
  if (!stale) return null;
  const { calibration, why } = stale;
  const channel = calibration.channel ?? rig?.input.clickChannel ?? 0;
  return (
    <div className="flex flex-col items-start gap-1.5 text-sm text-attention" role="status">
      <p>
        The audio round trip of {decimal(calibration.roundTripMs, 1)} ms is out of date: {why}.
      </p>
      <Button disabled={busy} onClick={() => void runCalibration(channel)}>
        Measure round trip again
      </Button>
    </div>
  );
}
