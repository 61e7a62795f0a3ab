import { useLiveQuery } from 'dexie-react-hooks';
import { useMemo } from 'react';
import { useSession } from '../hub/session';
import {
  entriesOfGear,
  filtered,
  loadEntry,
  logbookKeys,
  type Entry,
  type EntryKey,
  type LogbookFilter,
} from './logbook';

const NO_KEYS: EntryKey[] = [];

/** The logbook of the rig in use: all that is in it, and what a filter lets through, newest first. Null until it was read. */
export function useLogbook(filter: LogbookFilter): { all: EntryKey[]; shown: EntryKey[] } | null {
  const rigId = useSession(({ rig }) => rig?.id);
  const all = useLiveQuery(() => (rigId ? logbookKeys(rigId) : NO_KEYS), [rigId]);
  const { gearId } = filter;
  const ofGear = useLiveQuery(() => (gearId ? entriesOfGear(gearId) : null), [gearId, rigId]);
  return useMemo(
    () => (all && ofGear !== undefined ? { all, shown: filtered(all, filter, ofGear) } : null),
    [all, ofGear, filter],
  );
}

/** One entry; null until it was read, or while none is wanted. */
export function useEntry(key: EntryKey | null): Entry | null {
  return useLiveQuery(() => (key ? loadEntry(key) : null), [key?.id]) ?? null;
}
