import { useMemo } from 'react';
import { audioBufferMs } from '../audio/engine';
import { useSession } from '../studio/session';
import { useTakes } from '../studio/use-takes';
import { planOffsets, type Plan } from './align-rows';

const NOTHING: Plan = { rows: [], preRollMs: 0, problem: null };

/** The alignment plan of the current rig. */
export function usePlan(): Plan {
  const rig = useSession(({ rig }) => rig);
  const takes = useTakes();
  return useMemo(() => (rig ? planOffsets(rig, takes, audioBufferMs()) : NOTHING), [rig, takes]);
}
