import { useLiveQuery } from 'dexie-react-hooks';
import { useSession } from '../hub/session';
import { listClockTakes } from './clock-takes';
import type { ClockTake } from './records';

const NONE: ClockTake[] = [];

/** Clock takes of the current rig, newest first; live. */
export function useClockTakes(): ClockTake[] {
  const rigId = useSession(({ rig }) => rig?.id);
  return useLiveQuery(() => (rigId ? listClockTakes(rigId) : NONE), [rigId]) ?? NONE;
}
