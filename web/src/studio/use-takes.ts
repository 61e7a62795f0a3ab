import { useLiveQuery } from 'dexie-react-hooks';
import { useSession } from './session';
import type { Take, TakeKind } from '../store/records';
import { countTakes, listTakeHeads, listTakes, listTakesOf, loadTake, type TakeHead } from '../store/takes';

const NONE: Take[] = [];

/** Takes of the current rig, newest first; live. */
export function useTakes(): Take[] {
  const rigId = useSession(({ rig }) => rig?.id);
  return useLiveQuery(() => (rigId ? listTakes(rigId) : NONE), [rigId]) ?? NONE;
}

/** The current rig's newest take; null if it has none. */
export function useLatestTake(): Take | null {
  const rigId = useSession(({ rig }) => rig?.id);
  return useLiveQuery(async () => (rigId ? ((await listTakes(rigId, 1))[0] ?? null) : null), [rigId]) ?? null;
}

/** The current rig's newest takes of a kind, newest first; live. */
export function useTakesOf(kind: TakeKind, most?: number): Take[] {
  const rigId = useSession(({ rig }) => rig?.id);
  return useLiveQuery(() => (rigId ? listTakesOf(rigId, kind, most) : NONE), [rigId, kind, most]) ?? NONE;
}

const NO_HEADS: TakeHead[] = [];

/** Id, kind and time of the current rig's newest takes of some kinds, newest first; live. `kinds` has to keep its identity. */
export function useTakeHeads(kinds: readonly TakeKind[]): TakeHead[] {
  const rigId = useSession(({ rig }) => rig?.id);
  return useLiveQuery(() => (rigId ? listTakeHeads(rigId, kinds) : NO_HEADS), [rigId, kinds]) ?? NO_HEADS;
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
