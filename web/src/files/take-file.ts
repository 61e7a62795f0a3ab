import { ValidationError, type Schema } from 'yup';
import { clockTakeSchema, takeSchema } from '../store/record-schemas';
import type { ClockTake, Take } from '../store/records';
import { FileError, parseJson, versioned } from './text-file';

const TAKE_FILE_VERSION = 1;
const MAX_TEXT = 48_000_000;
const MAX_NUMBERS = 4_000_000;

/** A take with its raw data, except the audio, which is a WAV file. */
export type TakeFile =
  /** `run`: for a long run, channel, due time and lateness in ms of each landing. */
  | { what: 'take'; take: Take; run: number[] }
  /** Arrival time of each tick, ms, and those of the comparison clock. */
  | { what: 'clock'; take: ClockTake; ticksMs: number[]; againstMs: number[] };

/** Versioned JSON. NaN, such as the median of an empty list, becomes null. */
export function writeTakeFile(file: TakeFile): string {
  const { take } = file;
  const body =
    file.what === 'take'
      ? { metronomoTake: TAKE_FILE_VERSION, take, ...(file.run.length > 0 && { run: file.run }) }
      : {
          metronomoClockTake: TAKE_FILE_VERSION,
          take,
          ticksMs: file.ticksMs,
          ...(file.againstMs.length > 0 && { againstMs: file.againstMs }),
        };
  return JSON.stringify(body);
}

/** @throws FileError that names the field and what is wrong with it. */
export function readTakeFile(text: string, what = 'This file'): TakeFile {
  if (text.length > MAX_TEXT) throw new FileError(`${what} is too large for a take. The limit is 48 MB.`);
  const value = parseJson(text, what);
  if (typeof value === 'object' && value !== null && 'metronomoClockTake' in value) {
    const { take, ticksMs, againstMs } = versioned(value, 'metronomoClockTake', TAKE_FILE_VERSION, 'clock take');
    return {
      what: 'clock',
      take: checked<ClockTake>(clockTakeSchema, withNaN(take), what),
      ticksMs: numbers(ticksMs, 'ticksMs', what),
      againstMs: numbers(againstMs ?? [], 'againstMs', what),
    };
  }
  const { take, run } = versioned(value, 'metronomoTake', TAKE_FILE_VERSION, 'take');
  return {
    what: 'take',
    take: checked<Take>(takeSchema, withNaN(take), what),
    run: numbers(run ?? [], 'run', what),
  };
}

/** @throws FileError that names the field. */
export function checked<Row>(schema: Schema, value: unknown, what: string): Row {
  try {
    return schema.validateSync(value, { strict: true }) as Row;
  } catch (error) {
    if (error instanceof ValidationError) throw new FileError(`${what} is invalid: ${error.message.slice(0, 300)}`);
    throw error;
  }
}

function numbers(value: unknown, name: string, what: string): number[] {
  if (!Array.isArray(value) || value.length > MAX_NUMBERS || !value.every(Number.isFinite))
    throw new FileError(`${what}: “${name}” must be a list of at most ${MAX_NUMBERS} numbers.`);
  return value as number[];
}

/** Fields that may be NaN. */
const MAY_BE_NONE = new Set([
  ...['medianMs', 'spreadMs', 'strayMs', 'differenceMs', 'ppm', 'msPerSong', 'jitterRmsMs', 'jitterPeakToPeakMs'],
  ...['intervalRmsMs', 'bpmStandardError', 'p50', 'p95', 'p99'],
]);
const PAIRS = new Set(['ci95Ms', 'ci95Ppm']);

/** Restores NaN, which JSON writes as null. */
function withNaN(value: unknown): unknown {
  if (Array.isArray(value)) return typeof value[0] === 'object' ? value.map(withNaN) : (value as unknown[]);
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value).map(([key, one]): [string, unknown] => {
      if (one === null && MAY_BE_NONE.has(key)) return [key, NaN];
      if (PAIRS.has(key) && Array.isArray(one)) return [key, one.map((end: unknown) => (end === null ? NaN : end))];
      return [key, withNaN(one)];
    }),
  );
}
