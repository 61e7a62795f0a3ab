import { useLiveQuery } from 'dexie-react-hooks';
import { useSession } from '../hub/session';
import type { Take } from './records';
import { countTakes, listTakes, loadTake } from './takes';

const NONE: Take[] = [];

/** The takes of the rig in use, newest first; kept up to date. */
export function useTakes(): Take[] {
  const rigId = useSession(({ rig }) => rig?.id);
  return useLiveQuery(() => (rigId ? listTakes(rigId) : NONE), [rigId]) ?? NONE;
}

/** As many as a trend can show. */
const MOST_IN_A_TREND = 1000;

/** The takes of the rig in use far back; null until they were read. */
export function useAllTakes(): Take[] | null {
  const rigId = useSession(({ rig }) => rig?.id);
  return useLiveQuery(() => (rigId ? listTakes(rigId, MOST_IN_A_TREND) : NONE), [rigId]) ?? null;
}

export function useTakeCount(): number {
  const rigId = useSession(({ rig }) => rig?.id);
  return useLiveQuery(() => (rigId ? countTakes(rigId) : 0), [rigId]) ?? 0;
}

/** One take by its id, however old it is; null while there is none. */
export function useTake(id: string | undefined): Take | null {
  return useLiveQuery(() => (id ? loadTake(id) : null), [id]) ?? null;
}
