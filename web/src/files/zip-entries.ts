import type { FileEntry, ZipReader } from '@zip.js/zip.js/index-native.js';
import { decodeText, FileError } from './text-file';

/** All data as one ZIP of open formats; see docs/files.md. */
export const ARCHIVE_VERSION = 1;
export const FIRST_NAME = 'metronomo.json';
const MOST_ENTRIES = 40_000;
const MOST_TEXT_BYTES = 48_000_000;
const MOST_BYTES = 400e9;
/** The end of the list of files, and the comment after it. */
const LONGEST_TAIL = 22 + 65_535;
const END_SIGN = 0x06054b50;
const SAFE_NAME = /^[\w.\- ()]+(?:\/[\w.\- ()]+)*$/;

export type Progress = (done: number, all: number) => void;

/** What is in a ZIP, once nothing in it can do harm by its name or its size. @throws FileError */
export async function listEntries(file: Blob, zip: ZipReader<Blob>): Promise<FileEntry[]> {
  if ((await announcedEntries(file)) > MOST_ENTRIES)
    throw new FileError(`This ZIP holds more than ${MOST_ENTRIES} files.`);
  const entries: FileEntry[] = [];
  const names = new Set<string>();
  let bytes = 0;
  for await (const entry of zip.getEntriesGenerator()) {
    const { filename, directory, encrypted, uncompressedSize } = entry;
    if (!SAFE_NAME.test(filename.replace(/\/$/, '')) || filename.split('/').includes('..'))
      throw new FileError(`This ZIP holds a name that is not taken: “${filename.slice(0, 80)}”.`);
    if (directory) continue;
    if (encrypted) throw new FileError(`In this ZIP, ${filename} is encrypted.`);
    if (entries.length >= MOST_ENTRIES) throw new FileError(`This ZIP holds more than ${MOST_ENTRIES} files.`);
    if (names.has(filename)) throw new FileError(`This ZIP holds ${filename} twice.`);
    bytes += uncompressedSize;
    if (bytes > MOST_BYTES) throw new FileError('This ZIP would be larger than 400 GB unpacked.');
    names.add(filename);
    entries.push(entry);
  }
  return entries;
}

/** How many files a ZIP says that it holds, at its very end: to list too many takes long. */
async function announcedEntries(file: Blob): Promise<number> {
  const tail = new Uint8Array(await file.slice(-LONGEST_TAIL).arrayBuffer());
  const view = new DataView(tail.buffer);
  for (let at = tail.length - 22; at >= 0; at--)
    if (view.getUint32(at, true) === END_SIGN) return view.getUint16(at + 10, true);
  return 0;
}

interface Sink {
  write(bytes: Uint8Array): Promise<void> | void;
  close(): Promise<void> | void;
}

/** No more comes out of an entry than it announces: what is packed to unfold without end is cut off. */
export async function unpack(entry: FileEntry, sink: Sink): Promise<void> {
  let bytes = 0;
  const announced = entry.uncompressedSize;
  await entry.getData(
    new WritableStream<Uint8Array>({
      async write(chunk) {
        bytes += chunk.length;
        if (bytes > announced) throw new FileError(`${entry.filename} unpacks to more than it announces.`);
        await sink.write(chunk);
      },
    }),
  );
  if (bytes !== announced) throw new FileError(`${entry.filename} is cut off.`);
  await sink.close();
}

export async function textOf(entry: FileEntry): Promise<string> {
  const { filename, uncompressedSize } = entry;
  if (uncompressedSize > MOST_TEXT_BYTES)
    throw new FileError(`In this ZIP, ${filename} would be larger than 48 MB unpacked.`);
  const pieces: Uint8Array<ArrayBuffer>[] = [];
  await unpack(entry, { write: (bytes) => void pieces.push(bytes.slice()), close: () => undefined });
  return decodeText(new Uint8Array(await new Blob(pieces).arrayBuffer()), filename);
}
