import { useLiveQuery } from 'dexie-react-hooks';
import { useSession } from './session';
import type { Take } from '../store/records';
import { countTakes, listTakes, loadTake } from '../store/takes';

const NONE: Take[] = [];

/** Takes of the current rig, newest first; live. */
export function useTakes(): Take[] {
  const rigId = useSession(({ rig }) => rig?.id);
  return useLiveQuery(() => (rigId ? listTakes(rigId) : NONE), [rigId]) ?? NONE;
}

/** As many as a trend can show. */
const MAX_IN_A_TREND = 1000;

/** The current rig's takes further back; null until loaded. */
export function useAllTakes(): Take[] | null {
  const rigId = useSession(({ rig }) => rig?.id);
  return useLiveQuery(() => (rigId ? listTakes(rigId, MAX_IN_A_TREND) : NONE), [rigId]) ?? null;
}

export function useTakeCount(): number {
  const rigId = useSession(({ rig }) => rig?.id);
  return useLiveQuery(() => (rigId ? countTakes(rigId) : 0), [rigId]) ?? 0;
}

/** One take by id, however old; null if there is none. */
export function useTake(id: string | undefined): Take | null {
  return useLiveQuery(() => (id ? loadTake(id) : null), [id]) ?? null;
}
