import {
  isWav,
  MessageTextError,
  MidiFileError,
  readMessageFile,
  readMessageText,
  readWavHead,
  WavError,
  type CapturedMessage,
} from '@metronomo/core';
import { takeSchema } from '../store/record-schemas';
import type { Rig, Take } from '../store/records';
import { readRigFile, type OpenedRig } from './rig-file';
import { readTakeCsv } from './take-csv';
import { readTakeFile, type TakeFile } from './take-file';
import { decodeText, FileError, parseJson } from './text-file';

/** An opened file, typed by its contents, not its name. */
export type Opened =
  | ({ what: 'rig' } & OpenedRig)
  | { what: 'measured'; file: TakeFile }
  | { what: 'table'; take: Take }
  | { what: 'messages'; messages: CapturedMessage[] }
  | { what: 'sound' }
  | { what: 'archive' };

const MAX_BYTES = 64_000_000;
const ENOUGH_TO_KNOW = 4096;
/** A WAV file may hold notes, pictures and cue lists before its audio. */
const LONGEST_WAV_HEAD = 16_000_000;

/**
 * Reads any supported file: a rig, a take, a CSV of beats, messages as a Standard MIDI File or as text. Audio and ZIPs
 * are only recognized; they are streamed elsewhere.
 * @throws FileError with a message that names the place.
 */
export async function readAny(file: Blob, name: string, rig: Rig): Promise<Opened> {
  try {
    return await read(file, name, rig);
  } catch (error) {
    if (error instanceof MidiFileError || error instanceof MessageTextError || error instanceof WavError)
      throw new FileError(error.message, { cause: error });
    throw error;
  }
}

async function read(file: Blob, name: string, rig: Rig): Promise<Opened> {
  const start = new Uint8Array(await file.slice(0, ENOUGH_TO_KNOW).arrayBuffer());
  if (start.length === 0) throw new FileError('This file is empty.');
  const sign = String.fromCharCode(...start.subarray(0, 4));
  if (sign === 'PK\x03\x04' || sign === 'PK\x05\x06') return { what: 'archive' };
  if (isWav(start)) {
    const head = new Uint8Array(await file.slice(0, LONGEST_WAV_HEAD).arrayBuffer());
    const { dataAt, dataBytes } = readWavHead(head);
    const there = file.size - dataAt;
    if (dataBytes !== null && dataBytes > there)
      throw new WavError(`The audio is truncated: ${there} of ${dataBytes} bytes found`, dataAt);
    return { what: 'sound' };
  }
  if (file.size > MAX_BYTES)
    throw new FileError('This file is too large. The limit is 64 MB (audio and ZIPs excepted).');
  const bytes = new Uint8Array(await file.arrayBuffer());
  if (sign === 'MThd') return { what: 'messages', messages: readMessageFile(bytes) };
  const text = decodeText(bytes);
  if (text.startsWith('# metronomo messages')) return { what: 'messages', messages: readMessageText(text) };
  if (/^\s*[[{]/.test(text)) return readJson(text);
  if (/^[^\n]*\bdue_ms\b/.test(text) || name.toLowerCase().endsWith('.csv'))
    return { what: 'table', take: checkedTake(readTakeCsv(text, rig, name)) };
  throw new FileError(
    'Metronomo can’t read this type of file. It imports its own ZIP, JSON and text files, Standard MIDI Files, WAV, and CSV files of beats.',
  );
}

/** As every stored take is checked when it is read again: what wouldn't pass then isn't imported now. */
function checkedTake(take: Take): Take {
  try {
    takeSchema.validateSync(take, { strict: true });
    return take;
  } catch (error) {
    throw new FileError(`This file can’t be imported: ${error instanceof Error ? error.message.slice(0, 200) : ''}`, {
      cause: error,
    });
  }
}

function readJson(text: string): Opened {
  const value = parseJson(text);
  const holds = (key: string) => typeof value === 'object' && value !== null && key in value;
  if (holds('metronomoRig')) return { what: 'rig', ...readRigFile(text) };
  if (holds('metronomoTake') || holds('metronomoClockTake')) return { what: 'measured', file: readTakeFile(text) };
  throw new FileError('This JSON file is neither a rig nor a take: it has no “metronomoRig” or “metronomoTake”.');
}
