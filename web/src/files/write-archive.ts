import { BlobWriter, configure, TextReader, ZipWriter } from '@zip.js/zip.js/index-native.js';
import Dexie from 'dexie';
import { encodeWav, wavHead, writeMessageText } from '@metronomo/core';
import { otherTicks } from '../store/clock-takes';
import type { Database } from '../store/database';
import type { Take } from '../store/records';
import { messagesOf } from '../store/streams';
import { writeRigFile } from './rig-file';
import { writeTakeFile } from './take-file';
import { ARCHIVE_VERSION, FIRST_NAME, type Progress } from './zip-entries';

// This already runs in a worker of its own.
configure({ useWebWorkers: false });

/** WAV sizes are 32-bit; longer audio is split into several files. */
const MAX_PART_BYTES = 2_000_000_000;
const STEADY = { lastModDate: new Date(1980, 0, 1), extendedTimestamp: false };

/** Exports everything in a database. Deterministic: the same data produces the same bytes. */
export async function writeArchive(from: Database, tell: Progress, signal: AbortSignal): Promise<Blob> {
  const zip = new ZipWriter(new BlobWriter('application/zip'), { ...STEADY, signal });
  const text = (name: string, content: string) => {
    signal.throwIfAborted();
    return zip.add(name, new TextReader(content), { level: 6 });
  };
  const list = (name: string, rows: unknown[]) => (rows.length > 0 ? text(name, JSON.stringify(rows)) : null);
  const rigs = await from.rigs.orderBy('id').toArray();
  const takes = await from.takes.toCollection().primaryKeys();
  const clockTakes = await from.clockTakes.toCollection().primaryKeys();
  const streams = await from.streams.toArray();
  const all = rigs.length + takes.length + clockTakes.length + streams.length;
  let done = 0;
  await text(FIRST_NAME, JSON.stringify({ metronomoData: ARCHIVE_VERSION }));
  for (const rig of rigs) {
    await text(`rigs/${fileNameOf(rig.id)}.json`, writeRigFile(rig));
    tell(++done, all);
  }
  await list('offset-sets.json', await from.offsetSets.toArray());
  await list('calibrations.json', await from.calibrations.toArray());
  await list('history.json', await from.events.toArray());
  for (const id of clockTakes) {
    const take = await from.clockTakes.get(id);
    if (!take) continue;
    const [ticksMs, againstMs] = [await numbersOf(from, id), await numbersOf(from, otherTicks(id))];
    await text(`clock-takes/${fileNameOf(id)}.json`, writeTakeFile({ what: 'clock', take, ticksMs, againstMs }));
    tell(++done, all);
  }
  for (const id of takes) {
    const take = await from.takes.get(id);
    if (!take) continue;
    const name = `takes/${fileNameOf(id)}`;
    await text(`${name}/take.json`, writeTakeFile({ what: 'take', take, run: await numbersOf(from, id) }));
    await addSound(zip, from, take, name);
    tell(++done, all);
  }
  for (const stream of streams) {
    const name = `streams/${fileNameOf(stream.id)}`;
    await text(`${name}/stream.json`, JSON.stringify({ metronomoStream: 1, stream }));
    await text(`${name}/messages.txt`, writeMessageText(await messagesOf(from, stream.id)));
    tell(++done, all);
  }
  return zip.close();
}

async function addSound(zip: ZipWriter<Blob>, from: Database, take: Take, name: string): Promise<void> {
  const [first] = await soundOf(from, take.id).limit(1).toArray();
  const channels = first?.channels.length ?? 0;
  if (channels === 0) return;
  const frames = await countFrames(from, take.id);
  const partFrames = Math.floor(MAX_PART_BYTES / (4 * channels));
  for (let part = 0; part * partFrames < frames; part++) {
    const [fromFrame, toFrame] = [part * partFrames, Math.min(frames, (part + 1) * partFrames)];
    const file = part === 0 ? 'sound.wav' : `sound-${part + 1}.wav`;
    // Audio barely compresses.
    await zip.add(`${name}/${file}`, soundStream(from, take, channels, fromFrame, toFrame), { level: 0 });
  }
}

/** A take's audio as a WAV file; null if it has none, or more than fits into one file. */
export async function soundBlob(from: Database, takeId: string): Promise<Blob | null> {
  const take = await from.takes.get(takeId);
  const [first] = await soundOf(from, takeId).limit(1).toArray();
  const channels = first?.channels.length ?? 0;
  if (!take || channels === 0) return null;
  const frames = await countFrames(from, takeId);
  const most = Math.floor(MAX_PART_BYTES / (4 * channels));
  const stream = soundStream(from, take, channels, 0, Math.min(frames, most));
  const blob = await new Response(stream).blob();
  return new Blob([blob], { type: 'audio/wav' });
}

/** Streams some of a take's frames as a WAV file. */
function soundStream(
  from: Database,
  { id, sampleRate }: Take,
  channels: number,
  fromFrame: number,
  toFrame: number,
): ReadableStream<Uint8Array> {
  let index = 0;
  let at = 0;
  return new ReadableStream({
    start(out) {
      out.enqueue(wavHead(toFrame - fromFrame, channels, sampleRate, 'float32'));
    },
    async pull(out) {
      for (;;) {
        const chunk = at >= toFrame ? undefined : await from.sound.get([id, index++]);
        if (!chunk) return out.close();
        const length = chunk.channels[0]?.length ?? 0;
        const [low, high] = [Math.max(0, fromFrame - at), Math.min(length, toFrame - at)];
        at += length;
        if (high <= low) continue;
        const part = chunk.channels.map((channel) => channel.subarray(low, high));
        return out.enqueue(encodeWav(part, 'float32'));
      }
    },
  });
}

async function numbersOf(from: Database, takeId: string): Promise<number[]> {
  const chunks = await from.ticks
    .where('[takeId+index]')
    .between([takeId, Dexie.minKey], [takeId, Dexie.maxKey])
    .toArray();
  return chunks.flatMap(({ times }) => Array.from(times));
}

function soundOf(from: Database, takeId: string) {
  return from.sound.where('[takeId+index]').between([takeId, Dexie.minKey], [takeId, Dexie.maxKey]);
}

async function countFrames(from: Database, takeId: string): Promise<number> {
  let frames = 0;
  for (let index = 0; ; index++) {
    const chunk = await from.sound.get([takeId, index]);
    if (!chunk) return frames;
    frames += chunk.channels[0]?.length ?? 0;
  }
}

/** Ids with anything but letters, digits and a few symbols are replaced by a number. */
function fileNameOf(id: string): string {
  return id.replaceAll(/[^A-Za-z0-9-]/g, (letter) => `_${letter.codePointAt(0)?.toString(16)}`);
}
