import Dexie from 'dexie';
import { ticksOf } from './clock-takes';
import { database } from './database';
import type { SoundChunk, Take } from './records';

/** So many pieces of one channel are read at once; of many channels, fewer. */
const BATCH = 64;
const LEAST_BATCH = 4;

export async function listTakes(rigId: string): Promise<Take[]> {
  const takes = await database.takes
    .where('[rigId+startedAt]')
    .between([rigId, Dexie.minKey], [rigId, Dexie.maxKey])
    .toArray();
  return takes.reverse();
}

/** The sound of a take, one array a channel, in the order it came in. */
export async function loadSound(takeId: string): Promise<Float32Array[]> {
  const chunks = await soundOf(takeId).toArray();
  const count = chunks[0]?.channels.length ?? 0;
  return Array.from({ length: count }, (_, channel) =>
    concatenate(chunks.map((chunk) => chunk.channels[channel] ?? new Float32Array())),
  );
}

/** One channel of it. */
export async function loadChannel(takeId: string, channel: number): Promise<Float32Array> {
  const pieces: Float32Array[] = [];
  await eachBatch(takeId, (chunks) => {
    for (const { channels } of chunks) pieces.push(channels[channel] ?? new Float32Array());
  });
  return concatenate(pieces);
}

/** How many samples each of its pieces holds, in order. */
export async function pieceLengths(takeId: string): Promise<number[]> {
  const lengths: number[] = [];
  await eachBatch(takeId, (chunks) => {
    for (const { channels } of chunks) lengths.push(channels[0]?.length ?? 0);
  });
  return lengths;
}

/** A few pieces at a time, for all channels of a long take do not fit in memory. */
async function eachBatch(takeId: string, see: (chunks: SoundChunk[]) => void): Promise<void> {
  for (let from = 0, batch = LEAST_BATCH; ;) {
    const chunks = await piecesOf(takeId, from, from + batch);
    if (chunks.length === 0) return;
    see(chunks);
    from += batch;
    batch = Math.max(LEAST_BATCH, Math.floor(BATCH / Math.max(1, chunks[0]?.channels.length ?? 1)));
  }
}

function piecesOf(takeId: string, from: number, to: number): Promise<SoundChunk[]> {
  return database.sound.where('[takeId+index]').between([takeId, from], [takeId, to], true, false).toArray();
}

/** One channel of so many of its pieces. */
export async function loadPieces(takeId: string, channel: number, from: number, to: number): Promise<Float32Array> {
  const chunks = await piecesOf(takeId, from, to);
  return concatenate(chunks.map(({ channels }) => channels[channel] ?? new Float32Array()));
}

/** Takes it away and gives back what undoes that. */
export async function deleteTake(id: string): Promise<() => Promise<void>> {
  const take = await database.takes.get(id);
  const sound = await soundOf(id).toArray();
  const ticks = await ticksOf(id).toArray();
  await database.transaction('rw', database.takes, database.sound, database.ticks, async () => {
    await database.takes.delete(id);
    await soundOf(id).delete();
    await ticksOf(id).delete();
  });
  return async () => {
    await database.transaction('rw', database.takes, database.sound, database.ticks, async () => {
      if (take) await database.takes.put(take);
      await database.sound.bulkPut(sound);
      await database.ticks.bulkPut(ticks);
    });
  };
}

/** A take that was under way when the tab went: what it has is kept. Gives their ids. Call once, before any take begins. */
export async function markInterrupted(): Promise<string[]> {
  const open = await database.takes.filter((take) => take.status === 'recording').toArray();
  for (const take of open)
    await database.takes.update(take.id, { status: 'interrupted', ending: 'The page was closed during this take.' });
  return open.map(({ id }) => id);
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
