import Dexie from 'dexie';
import { ticksOf } from './clock-takes';
import { database } from './database';
import type { SoundChunk, Take, TakeKind } from './records';
import { intactOf } from './quarantine';
import { isEpoch } from './record-schemas';
import { saveHeld, updateOrHold } from './unsaved';

/** Chunks of one channel to read at once; fewer for many channels. */
const BATCH = 64;
const MIN_BATCH = 4;

/** Number of newest takes loaded outside the Logbook. */
const MAX_AT_WORK = 100;

/** The newest takes of a rig, newest first. */
export async function listTakes(rigId: string, most = MAX_AT_WORK): Promise<Take[]> {
  const takes = await ofRig(rigId).reverse().limit(most).toArray();
  return intactOf(database, 'takes', takes);
}

/** The newest takes of one kind, newest first. */
export async function listTakesOf(rigId: string, kind: TakeKind, most = MAX_AT_WORK): Promise<Take[]> {
  const takes = await database.takes
    .where('[rigId+kind+startedAt]')
    .between([rigId, kind, Dexie.minKey], [rigId, kind, Dexie.maxKey])
    .reverse()
    .limit(most)
    .toArray();
  return intactOf(database, 'takes', takes);
}

/** A take in a list. */
export interface TakeHead {
  id: string;
  kind: TakeKind;
  startedAt: number;
}

/** The newest finished takes of some kinds, newest first: from the indexes, without reading the takes. */
export async function listTakeHeads(
  rigId: string,
  kinds: readonly TakeKind[],
  most = MAX_AT_WORK,
): Promise<TakeHead[]> {
  const running = new Set(await database.takes.where('status').equals('recording').primaryKeys());
  const heads = await Promise.all(
    kinds.map(async (kind) => {
      const those = () =>
        database.takes
          .where('[rigId+kind+startedAt]')
          .between([rigId, kind, Dexie.minKey], [rigId, kind, Dexie.maxKey])
          .reverse()
          .limit(most);
      const keys = (await those().keys()) as unknown as [string, TakeKind, number][];
      const ids = await those().primaryKeys();
      return ids.map((id, i) => ({ id, kind, startedAt: keys[i]?.[2] ?? 0 }));
    }),
  );
  return heads
    .flat()
    .filter(({ id, startedAt }) => !running.has(id) && isEpoch(startedAt))
    .sort((a, b) => b.startedAt - a.startedAt)
    .slice(0, most);
}

export function countTakes(rigId: string): Promise<number> {
  return ofRig(rigId).count();
}

/** One take; null if it is missing or damaged. */
export async function loadTake(id: string): Promise<Take | null> {
  const take = await database.takes.get(id);
  return intactOf(database, 'takes', take ? [take] : [])[0] ?? null;
}

function ofRig(rigId: string) {
  return database.takes.where('[rigId+startedAt]').between([rigId, Dexie.minKey], [rigId, Dexie.maxKey]);
}

/** The audio of a take, one array per channel. */
export async function loadSound(takeId: string): Promise<Float32Array[]> {
  const chunks = await soundOf(takeId).toArray();
  const count = chunks[0]?.channels.length ?? 0;
  return Array.from({ length: count }, (_, channel) =>
    concatenate(chunks.map((chunk) => chunk.channels[channel] ?? new Float32Array())),
  );
}

/** One channel of the audio. */
export async function loadChannel(takeId: string, channel: number): Promise<Float32Array> {
  const pieces: Float32Array[] = [];
  await eachBatch(takeId, (chunks) => {
    for (const { channels } of chunks) pieces.push(channels[channel] ?? new Float32Array());
  });
  return concatenate(pieces);
}

/** Length of each of its chunks in samples, in order. */
export async function pieceLengths(takeId: string): Promise<number[]> {
  const lengths: number[] = [];
  await eachBatch(takeId, (chunks) => {
    for (const { channels } of chunks) lengths.push(channels[0]?.length ?? 0);
  });
  return lengths;
}

/** In batches, because a long take doesn't fit in memory. */
async function eachBatch(takeId: string, see: (chunks: SoundChunk[]) => void): Promise<void> {
  for (let from = 0, batch = MIN_BATCH; ;) {
    const chunks = await piecesOf(takeId, from, from + batch);
    if (chunks.length === 0) return;
    see(chunks);
    from += batch;
    batch = Math.max(MIN_BATCH, Math.floor(BATCH / Math.max(1, chunks[0]?.channels.length ?? 1)));
  }
}

function piecesOf(takeId: string, from: number, to: number): Promise<SoundChunk[]> {
  return database.sound.where('[takeId+index]').between([takeId, from], [takeId, to], true, false).toArray();
}

/** One channel of a range of chunks. */
export async function loadPieces(takeId: string, channel: number, from: number, to: number): Promise<Float32Array> {
  const chunks = await piecesOf(takeId, from, to);
  return concatenate(chunks.map(({ channels }) => channels[channel] ?? new Float32Array()));
}

/** Deletes the take and returns the undo. */
export async function deleteTake(id: string): Promise<() => Promise<void>> {
  // Another rig may be current when it is restored.
  const from = database;
  const take = await from.takes.get(id);
  const sound = await soundOf(id).toArray();
  const ticks = await ticksOf(id).toArray();
  await from.transaction('rw', from.takes, from.sound, from.ticks, async () => {
    await from.takes.delete(id);
    await soundOf(id).delete();
    await ticksOf(id).delete();
  });
  await saveHeld();
  return async () => {
    await from.transaction('rw', from.takes, from.sound, from.ticks, async () => {
      if (take) await from.takes.put(take);
      await from.sound.bulkPut(sound);
      await from.ticks.bulkPut(ticks);
    });
  };
}

/**
 * Takes whose recorder is gone: what they have is kept, with the reason. Returns their ids. Call while none is running.
 */
export async function markInterrupted(ending: string): Promise<string[]> {
  const open = await database.takes.where('status').equals('recording').toArray();
  for (const take of open) await updateOrHold(database.takes, take.id, { status: 'interrupted', ending });
  return open.map(({ id }) => id);
}

/** The same for one take whose recorder was lost. False, and deleted, if it has nothing. */
export async function markTakeInterrupted(id: string, ending: string): Promise<boolean> {
  const kept = (await soundOf(id).count()) + (await ticksOf(id).count());
  if (kept === 0) {
    await database.takes.delete(id);
    return false;
  }
  if (!(await database.takes.get(id))) return false;
  await updateOrHold(database.takes, id, { status: 'interrupted', ending });
  return true;
}

function soundOf(takeId: string) {
  return database.sound.where('[takeId+index]').between([takeId, Dexie.minKey], [takeId, Dexie.maxKey]);
}

export function concatenate(pieces: readonly SoundChunk['channels'][number][]): Float32Array {
  const whole = new Float32Array(pieces.reduce((sum, piece) => sum + piece.length, 0));
  let at = 0;
  for (const piece of pieces) {
    whole.set(piece, at);
    at += piece.length;
  }
  return whole;
}
