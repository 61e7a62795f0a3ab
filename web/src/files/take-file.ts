import { ValidationError, type Schema } from 'yup';
import { clockTakeSchema, takeSchema } from '../store/record-schemas';
import type { ClockTake, Take } from '../store/records';
import { FileError, parseJson, versioned } from './text-file';

const TAKE_FILE_VERSION = 1;
const MOST_TEXT = 48_000_000;
const MOST_NUMBERS = 4_000_000;

/** A take with what it was computed from, but for its sound, which is a WAV file. */
export type TakeFile =
  /** `run`: of a long run, each landing: its channel, when it was due and how late it came, ms. */
  | { what: 'take'; take: Take; run: number[] }
  /** When each tick came, ms; and those of the clock beside it. */
  | { what: 'clock'; take: ClockTake; ticksMs: number[]; againstMs: number[] };

/** JSON with the version of what it holds. What is no number, such as the middle of nothing, is null in it. */
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
  if (text.length > MOST_TEXT) throw new FileError(`${what} is too large for a take: 48 MB at the most.`);
  const value = parseJson(text, what);
  if (typeof value === 'object' && value !== null && 'metronomoClockTake' in value) {
    const { take, ticksMs, againstMs } = versioned(value, 'metronomoClockTake', TAKE_FILE_VERSION, 'take of a clock');
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
    if (error instanceof ValidationError)
      throw new FileError(`In ${what === 'This file' ? 'this file' : what}: ${error.message.slice(0, 300)}`);
    throw error;
  }
}

function numbers(value: unknown, name: string, what: string): number[] {
  if (!Array.isArray(value) || value.length > MOST_NUMBERS || !value.every(Number.isFinite))
    throw new FileError(`${what}: “${name}” has to be a list of numbers, ${MOST_NUMBERS} at the most.`);
  return value as number[];
}

/** Numbers that may be none, and the pairs that may be none. */
const MAY_BE_NONE = new Set([
  ...['medianMs', 'spreadMs', 'strayMs', 'differenceMs', 'ppm', 'msPerSong', 'jitterRmsMs', 'jitterPeakToPeakMs'],
  ...['intervalRmsMs', 'bpmStandardError', 'p50', 'p95', 'p99'],
]);
const PAIRS = new Set(['ci95Ms', 'ci95Ppm']);

/** JSON has no word for what is no number; here it has one again. */
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
