import { useLiveQuery } from 'dexie-react-hooks';
import { useSession } from '../hub/session';
import { listClockTakes } from './clock-takes';
import type { ClockTake } from './records';

const NONE: ClockTake[] = [];

/** The measurings of clocks in the rig in use, newest first; kept up to date. */
export function useClockTakes(): ClockTake[] {
  const rigId = useSession(({ rig }) => rig?.id);
  return useLiveQuery(() => (rigId ? listClockTakes(rigId) : NONE), [rigId]) ?? NONE;
}
