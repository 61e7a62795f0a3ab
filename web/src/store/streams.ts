import type { CapturedMessage } from '@metronomo/core';
import Dexie from 'dexie';
import { database, type Database } from './database';
import type { CapturedStream } from './records';
import { intactOf } from './quarantine';

/** Limit per capture, so that a full export can be imported again. */
export const MAX_KEPT_MESSAGES = 300_000;
const MESSAGES_A_PIECE = 20_000;

export async function keepMessages(into: Database, stream: CapturedStream, messages: CapturedMessage[]): Promise<void> {
  for (let index = 0; index * MESSAGES_A_PIECE < messages.length; index++) {
    const some = messages.slice(index * MESSAGES_A_PIECE, (index + 1) * MESSAGES_A_PIECE);
    await into.pieces.add({ streamId: stream.id, index, messages: some });
  }
  await into.streams.add(stream);
}

export async function messagesOf(from: Database, streamId: string): Promise<CapturedMessage[]> {
  const pieces = await piecesOf(from, streamId).toArray();
  return pieces.flatMap(({ messages }) => messages);
}

/** Captures of a rig, newest first. */
export async function listStreams(rigId: string): Promise<CapturedStream[]> {
  const streams = await database.streams
    .where('[rigId+startedAt]')
    .between([rigId, Dexie.minKey], [rigId, Dexie.maxKey])
    .reverse()
    .toArray();
  return intactOf(database, 'streams', streams);
}

/** Deletes the capture and returns the undo. */
export async function deleteStream(stream: CapturedStream): Promise<() => Promise<void>> {
  const from = database;
  const pieces = await piecesOf(from, stream.id).toArray();
  const all = [from.streams, from.pieces];
  await from.transaction('rw', all, async () => {
    await from.streams.delete(stream.id);
    await piecesOf(from, stream.id).delete();
  });
  return () =>
    from.transaction('rw', all, async () => {
      await from.streams.put(stream);
      await from.pieces.bulkPut(pieces);
    });
}

function piecesOf(from: Database, streamId: string) {
  return from.pieces.where('[streamId+index]').between([streamId, Dexie.minKey], [streamId, Dexie.maxKey]);
}
