import { useMemo } from 'react';
import { useSession } from '../studio/session';
import { useTakes } from '../studio/use-takes';
import { planOffsets, type Plan } from './align-rows';

const NOTHING: Plan = { rows: [], preRollMs: 0, problem: null };

/** The alignment plan of the current rig. */
export function usePlan(): Plan {
  const rig = useSession(({ rig }) => rig);
  const takes = useTakes();
  const bufferMs = useSession(({ bufferMs }) => bufferMs);
  return useMemo(() => (rig ? planOffsets(rig, takes, { bufferMs }) : NOTHING), [rig, takes, bufferMs]);
}
