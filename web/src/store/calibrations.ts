import { whole } from '../words/numbers';
import { database } from './database';
import type { Calibration, Rig } from './records';

/** The browser's report of one buffer size varies by less than this, ms. */
const SAME_BUFFER_MS = 2;

/** What a round trip is measured with. */
interface InUse {
  input: { label: string; sampleRate: number } | null;
  rig: Pick<Rig, 'input'> | null;
}

/** The latest round trip of a device at its sample rate and buffer; null if it was never measured with them. */
export async function findCalibration(inUse: InUse, bufferMs: number | null): Promise<Calibration | null> {
  const all = await database.calibrations.toArray();
  const mine = all.filter((one) => isOf(one, inUse) && changeSince(one, inUse, bufferMs) === null);
  return mine.sort(newestFirst)[0] ?? null;
}

/** The latest round trip of a device if it no longer counts, and why: a clause that follows a colon. */
export async function findStaleCalibration(
  inUse: InUse,
  bufferMs: number | null,
): Promise<{ calibration: Calibration; why: string } | null> {
  if (await findCalibration(inUse, bufferMs)) return null;
  const all = await database.calibrations.toArray();
  const [calibration] = all.filter((one) => isOf(one, inUse)).sort(newestFirst);
  const why = calibration && changeSince(calibration, inUse, bufferMs);
  return calibration && why ? { calibration, why } : null;
}

const newestFirst = (a: Calibration, b: Calibration) => b.at - a.at;

function isOf(one: Calibration, { input, rig }: InUse): boolean {
  return one.input === input?.label && one.source === rig?.input.sourceId;
}

function changeSince(
  { sampleRate, bufferMs: before }: Calibration,
  { input }: InUse,
  now: number | null,
): string | null {
  if (input && sampleRate !== input.sampleRate)
    return `sample rate was ${sampleRate / 1000} kHz, now ${input.sampleRate / 1000} kHz`;
  if (before === null || now === null || Math.abs(before - now) < SAME_BUFFER_MS) return null;
  return `audio buffer was ${whole(before)} ms, now ${whole(now)} ms`;
}

export async function keepCalibration(calibration: Calibration): Promise<void> {
  await database.calibrations.put(calibration);
}
