import Dexie from 'dexie';
import { otherBuffers } from './conditions';
import { database } from './database';
import type { OffsetSet, Rig, Take } from './records';
import { intactOf } from './quarantine';
import { decimal, whole } from '../words/numbers';

const MAX_NAME = 60;
const SAME_OFFSET_MS = 0.005;

/** The offset sets of a rig, newest first. */
export async function listSets(rigId: string): Promise<OffsetSet[]> {
  const range: [unknown[], unknown[]] = [
    [rigId, Dexie.minKey],
    [rigId, Dexie.maxKey],
  ];
  const sets = await database.offsetSets
    .where('[rigId+savedAt]')
    .between(...range)
    .reverse()
    .toArray();
  return intactOf(database, 'offsetSets', sets);
}

/** Saves the current offsets under a name, with the conditions of the newest take. */
export async function saveSet(rig: Rig, name: string, newest: Take | undefined): Promise<OffsetSet> {
  const set: OffsetSet = {
    id: crypto.randomUUID(),
    rigId: rig.id,
    name: name.trim().slice(0, MAX_NAME) || `${decimal(rig.bpm, 1)} BPM`,
    savedAt: Date.now(),
    bpm: rig.bpm,
    song: songName(rig),
    input: rig.input.label,
    inputSource: rig.input.sourceId,
    sampleRate: newest?.sampleRate ?? null,
    bufferMs: newest?.conditions?.bufferMs ?? null,
    offsets: rig.gear.map(({ id, name, offsetMs, offset, portId }) => ({
      gearId: id,
      name,
      offsetMs,
      own: offset.own,
      wiredTo: portId,
    })),
  };
  await database.offsetSets.add(set);
  return set;
}

export async function renameSet(id: string, name: string): Promise<void> {
  const kept = name.trim().slice(0, MAX_NAME);
  if (kept) await database.offsetSets.update(id, { name: kept });
}

/** Deletes the set and returns the undo. */
export async function deleteSet(set: OffsetSet): Promise<() => Promise<void>> {
  const from = database;
  await from.offsetSets.delete(set.id);
  return async () => {
    await from.offsetSets.put(set);
  };
}

/** The rig with the set's offsets; devices not in the set keep theirs. */
export function withSet(rig: Rig, { offsets }: OffsetSet): Rig {
  const kept = new Map(offsets.map(({ gearId, offsetMs }) => [gearId, offsetMs]));
  return { ...rig, gear: rig.gear.map((gear) => ({ ...gear, offsetMs: kept.get(gear.id) ?? gear.offsetMs })) };
}

function songName({ song: { sections, tempoFrom } }: Rig): string {
  return tempoFrom === 'sections' ? sections.map(({ name }) => name).join(', ') : '';
}

/** Conditions that have changed since the set was saved, as clauses that follow "When saved:". */
export function changedSinceSet(set: OffsetSet, rig: Rig, bufferMs: number | null): string[] {
  const changes: string[] = [];
  if (set.inputSource !== rig.input.sourceId) changes.push(`the audio interface was ${set.input}`);
  if (set.song !== songName(rig)) changes.push(set.song ? `the song was ${set.song}` : 'the tempo was set by hand');
  if (set.bpm !== rig.bpm) changes.push(`the tempo was ${decimal(set.bpm, 1)} BPM`);
  if (otherBuffers(set.bufferMs, bufferMs)) changes.push(`the audio buffer delay was ${whole(set.bufferMs ?? 0)} ms`);
  for (const { gearId, name, own, wiredTo } of set.offsets) {
    const gear = rig.gear.find(({ id }) => id === gearId);
    if (!gear) changes.push(`${name} was in the rig`);
    else {
      // Sets from before know no port of gear behind other gear.
      if (wiredTo !== null && gear.portId !== wiredTo) changes.push(`${name} was on another port`);
      if (gear.offset.own !== own) changes.push(`the device offset of ${name} was ${own}`);
    }
  }
  const known = new Set(set.offsets.map(({ gearId }) => gearId));
  for (const { id, name } of rig.gear) if (!known.has(id)) changes.push(`${name} wasn’t in the rig`);
  return changes;
}

/** Whether these are the current offsets. */
export function isInForce({ offsets }: OffsetSet, rig: Rig): boolean {
  return rig.gear.every(({ id, offsetMs }) => {
    const kept = offsets.find(({ gearId }) => gearId === id);
    return !kept || Math.abs(kept.offsetMs - offsetMs) < SAME_OFFSET_MS;
  });
}
