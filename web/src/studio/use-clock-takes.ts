import { useLiveQuery } from 'dexie-react-hooks';
import { useSession } from './session';
import { listClockTakes } from '../store/clock-takes';
import type { ClockTake } from '../store/records';

const NONE: ClockTake[] = [];

/** Clock takes of the current rig, newest first; live. */
export function useClockTakes(): ClockTake[] {
  const rigId = useSession(({ rig }) => rig?.id);
  return useLiveQuery(() => (rigId ? listClockTakes(rigId) : NONE), [rigId]) ?? NONE;
}
