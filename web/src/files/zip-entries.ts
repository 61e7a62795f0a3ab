import type { FileEntry, ZipReader } from '@zip.js/zip.js/index-native.js';
import { decodeText, FileError } from './text-file';
import { count } from '../words/numbers';

/** Full export as one ZIP of open formats; see docs/files.md. */
export const ARCHIVE_VERSION = 1;
export const FIRST_NAME = 'metronomo.json';
const MAX_ENTRIES = 40_000;
const MAX_TEXT_BYTES = 48_000_000;
const MAX_BYTES = 400e9;
/** Takes and their text pack ten times smaller at most; a ZIP bomb packs a thousand times. */
const MOST_PACKED = 100;
/** A ZIP this small unpacked is harmless, however it is packed. */
const HARMLESS_BYTES = 64_000_000;
/** The end-of-central-directory record and its comment. */
const LONGEST_TAIL = 22 + 65_535;
const END_SIGN = 0x06054b50;
const SAFE_NAME = /^[\w.\- ()]+(?:\/[\w.\- ()]+)*$/;

export type Progress = (done: number, all: number) => void;

/**
 * The entries of a ZIP, once their names and sizes are known to be safe.
 * @throws FileError
 */
export async function listEntries(file: Blob, zip: ZipReader<Blob>): Promise<FileEntry[]> {
  if ((await announcedEntries(file)) > MAX_ENTRIES)
    throw new FileError(`This ZIP contains more than ${count(MAX_ENTRIES, 'file')}, which is the limit.`);
  const entries: FileEntry[] = [];
  const names = new Set<string>();
  let bytes = 0;
  for await (const entry of zip.getEntriesGenerator()) {
    const { filename, directory, encrypted, uncompressedSize } = entry;
    if (!SAFE_NAME.test(filename.replace(/\/$/, '')) || filename.split('/').includes('..'))
      throw new FileError(`This ZIP contains an unsafe file name: “${filename.slice(0, 80)}”.`);
    if (directory) continue;
    if (encrypted) throw new FileError(`${filename} is encrypted. Save the ZIP without a password and try again.`);
    if (entries.length >= MAX_ENTRIES)
      throw new FileError(`This ZIP contains more than ${count(MAX_ENTRIES, 'file')}, which is the limit.`);
    if (names.has(filename)) throw new FileError(`This ZIP contains ${filename} twice.`);
    bytes += uncompressedSize;
    if (bytes > MAX_BYTES) throw new FileError('This ZIP unpacks to more than 400 GB, which is the limit.');
    if (bytes > Math.max(HARMLESS_BYTES, MOST_PACKED * file.size))
      throw new FileError(`This ZIP unpacks to more than ${MOST_PACKED} times its size. Don’t trust this ZIP.`);
    names.add(filename);
    entries.push(entry);
  }
  return entries;
}

/** Number of entries declared at the very end, because listing too many takes long. */
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

/** Zip-bomb guard: abort once an entry inflates past its declared size. */
export async function unpack(entry: FileEntry, sink: Sink): Promise<void> {
  let bytes = 0;
  const announced = entry.uncompressedSize;
  await entry.getData(
    new WritableStream<Uint8Array>({
      async write(chunk) {
        bytes += chunk.length;
        if (bytes > announced)
          throw new FileError(`${entry.filename} unpacks to more than its declared size. Don’t trust this ZIP.`);
        await sink.write(chunk);
      },
    }),
  );
  if (bytes !== announced) throw new FileError(`${entry.filename} is incomplete. Export or download the ZIP again.`);
  await sink.close();
}

export async function textOf(entry: FileEntry): Promise<string> {
  const { filename, uncompressedSize } = entry;
  if (uncompressedSize > MAX_TEXT_BYTES)
    throw new FileError(`${filename} unpacks to more than 48 MB, which is the limit.`);
  const pieces: Uint8Array<ArrayBuffer>[] = [];
  await unpack(entry, { write: (bytes) => void pieces.push(bytes.slice()), close: () => undefined });
  return decodeText(new Uint8Array(await new Blob(pieces).arrayBuffer()), filename);
}
