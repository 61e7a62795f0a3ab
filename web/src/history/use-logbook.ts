import { useLiveQuery } from 'dexie-react-hooks';
import { useMemo } from 'react';
import { useSession } from '../studio/session';
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

/** The current rig's logbook: all entries, and those that pass the filter, newest first. Null until loaded. */
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

/** One entry; null until loaded, or if none is requested. */
export function useEntry(key: EntryKey | null): Entry | null {
  return useLiveQuery(() => (key ? loadEntry(key) : null), [key?.id]) ?? null;
}
