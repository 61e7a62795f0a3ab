import { BlobReader, configure, ZipReader, type FileEntry } from '@zip.js/zip.js/index-native.js';
import Dexie from 'dexie';
import { array } from 'yup';
import { readMessageText } from '@metronomo/core';
import { otherTicks } from '../store/clock-takes';
import type { Database } from '../store/database';
import { calibrationSchema, eventSchema, offsetSetSchema, streamSchema } from '../store/record-schemas';
import type { Calibration, CapturedStream, HistoryEvent, OffsetSet, Take } from '../store/records';
import { keepMessages } from '../store/streams';
import { readRigFile } from './rig-file';
import { SoundSink } from './sound-sink';
import { checked, readTakeFile, type TakeFile } from './take-file';
import { FileError, parseJson, versioned } from './text-file';
import { ARCHIVE_VERSION, FIRST_NAME, listEntries, textOf, unpack, type Progress } from './zip-entries';

// This already runs in a worker of its own.
configure({ useWebWorkers: false });

/** The contents of an archive, before import. */
export interface ArchiveContents {
  rigs: { id: string; name: string; demo: boolean }[];
  takes: number;
  clockTakes: number;
  offsetSets: number;
  calibrations: number;
  events: number;
  streams: number;
  soundBytes: number;
  firstAt: number | null;
  lastAt: number | null;
  notes: string[];
}

/**
 * Reads an archive into a separate database. Names, sizes, checksums and every record are validated before anything is
 * used.
 * @throws FileError that names the file inside and what is wrong.
 */
export async function readArchive(
  file: Blob,
  into: Database,
  tell: Progress,
  signal: AbortSignal,
): Promise<ArchiveContents> {
  const zip = new ZipReader(new BlobReader(file), { checkSignature: true, checkOverlappingEntry: true, signal });
  const contents: ArchiveContents = {
    ...{ rigs: [], takes: 0, clockTakes: 0, offsetSets: 0, calibrations: 0, events: 0, streams: 0, soundBytes: 0 },
    ...{ firstAt: null, lastAt: null, notes: [] },
  };
  try {
    const entries = await listEntries(file, zip);
    const open = new Map(entries.map((entry) => [entry.filename, entry]));
    const first = open.get(FIRST_NAME);
    if (!first) throw new FileError(`This isn’t a Metronomo ZIP: “${FIRST_NAME}” is missing.`);
    versioned(parseJson(await textOf(first), FIRST_NAME), 'metronomoData', ARCHIVE_VERSION, 'Metronomo ZIP');
    let done = 0;
    for (const entry of entries) {
      signal.throwIfAborted();
      await readEntry(entry, open, into, contents);
      tell(++done, entries.length);
    }
    return contents;
  } catch (error) {
    if (error instanceof FileError || signal.aborted) throw error;
    const said = error instanceof Error ? error.message : '';
    // A bulk insert rejects with an error of its own that carries no name of the cause.
    if (error instanceof Dexie.ConstraintError || error instanceof Dexie.BulkError)
      throw new FileError('This ZIP contains the same record twice. Export or download it again.');
    if (error instanceof Dexie.DexieError)
      throw new FileError(
        `The browser couldn’t store this data: ${said.split('\n')[0]?.slice(0, 200)} Free some disk space, then try again.`,
      );
    throw new FileError(`This ZIP is damaged: ${said.slice(0, 200) || 'unreadable'}. Export or download it again.`);
  } finally {
    await zip.close();
  }
}

/** Dispatches each file of the archive by its name. */
async function readEntry(
  entry: FileEntry,
  all: ReadonlyMap<string, FileEntry>,
  into: Database,
  contents: ArchiveContents,
): Promise<void> {
  const { filename } = entry;
  const json = async () => parseJson(await textOf(entry), filename);
  if (/^rigs\/[^/]+\.json$/.test(filename)) {
    const { rig, notes } = namingFile(filename, await textOf(entry), (text) => readRigFile(text, { asItIs: true }));
    contents.rigs.push({ id: rig.id, name: rig.name, demo: rig.demo });
    contents.notes.push(...notes.slice(0, 20));
    await into.rigs.add(rig);
  } else if (filename === 'offset-sets.json') {
    const rows = checked<OffsetSet[]>(array().of(offsetSetSchema).required(), await json(), filename);
    contents.offsetSets += rows.length;
    await into.offsetSets.bulkAdd(rows);
  } else if (filename === 'calibrations.json') {
    const rows = checked<Calibration[]>(array().of(calibrationSchema).required(), await json(), filename);
    contents.calibrations += rows.length;
    await into.calibrations.bulkAdd(rows);
  } else if (filename === 'history.json') {
    const rows = checked<HistoryEvent[]>(array().of(eventSchema).required(), await json(), filename);
    contents.events += rows.length;
    await into.events.bulkAdd(rows);
  } else if (/^clock-takes\/[^/]+\.json$/.test(filename)) {
    const read = readTakeFile(await textOf(entry), filename);
    if (read.what !== 'clock') throw new FileError(`${filename} isn’t a clock take.`);
    contents.clockTakes++;
    await keepTake(read, into);
  } else if (/^takes\/[^/]+\/take\.json$/.test(filename)) {
    const read = readTakeFile(await textOf(entry), filename);
    if (read.what !== 'take') throw new FileError(`${filename} isn’t a take.`);
    contents.takes++;
    widenPeriod(contents, read.take.startedAt);
    await keepTake(read, into);
    contents.soundBytes += await keepSounds(read.take, filename.replace(/take\.json$/, ''), all, into);
  } else if (/^streams\/[^/]+\/stream\.json$/.test(filename)) {
    const { stream } = versioned(await json(), 'metronomoStream', 1, 'capture file');
    const kept = checked<CapturedStream>(streamSchema, stream, filename);
    const messages = all.get(filename.replace(/stream\.json$/, 'messages.txt'));
    if (!messages) throw new FileError(`The messages.txt that belongs to ${filename} is missing.`);
    await keepMessages(into, kept, namingFile(messages.filename, await textOf(messages), readMessageText));
    contents.streams++;
  } else if (
    filename !== FIRST_NAME &&
    !/^takes\/[^/]+\/sound(-\d+)?\.wav$|^streams\/[^/]+\/messages\.txt$/.test(filename)
  )
    contents.notes.push(`Skipped an unknown file: ${filename}`);
}

function namingFile<Result>(name: string, text: string, read: (text: string) => Result): Result {
  try {
    return read(text);
  } catch (error) {
    throw new FileError(`${name}: ${error instanceof Error ? error.message : 'unreadable'}`);
  }
}

function widenPeriod(contents: ArchiveContents, at: number): void {
  contents.firstAt = Math.min(contents.firstAt ?? at, at);
  contents.lastAt = Math.max(contents.lastAt ?? at, at);
}

async function keepTake(file: TakeFile, into: Database): Promise<void> {
  if (file.what === 'take') {
    await into.takes.add(file.take);
    await keepNumbers(into, file.take.id, file.run);
    return;
  }
  await into.clockTakes.add(file.take);
  await keepNumbers(into, file.take.id, file.ticksMs);
  await keepNumbers(into, otherTicks(file.take.id), file.againstMs);
}

async function keepNumbers(into: Database, takeId: string, numbers: readonly number[]): Promise<void> {
  const most = 65_536 * 3; // In a long run, three numbers belong together.
  for (let index = 0; index * most < numbers.length; index++)
    await into.ticks.add({
      takeId,
      index,
      times: Float64Array.from(numbers.slice(index * most, (index + 1) * most)),
    });
}

async function keepSounds(
  take: Take,
  folder: string,
  all: ReadonlyMap<string, FileEntry>,
  into: Database,
): Promise<number> {
  let index = 0;
  let bytes = 0;
  for (let part = 1; ; part++) {
    const entry = all.get(`${folder}${part === 1 ? 'sound.wav' : `sound-${part}.wav`}`);
    if (!entry) return bytes;
    bytes += entry.uncompressedSize;
    await unpack(entry, new SoundSink(entry.filename, take, into, index, (next) => (index = next)));
  }
}
