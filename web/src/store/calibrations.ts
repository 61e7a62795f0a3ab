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
export async function findCalibration({ input, rig }: InUse, bufferMs: number | null): Promise<Calibration | null> {
  const all = await database.calibrations.toArray();
  const mine = all.filter(
    (one) =>
      one.input === input?.label &&
      one.source === rig?.input.sourceId &&
      one.sampleRate === input.sampleRate &&
      (one.bufferMs === null || bufferMs === null || Math.abs(one.bufferMs - bufferMs) < SAME_BUFFER_MS),
  );
  return mine.sort((a, b) => b.at - a.at)[0] ?? null;
}

export async function keepCalibration(calibration: Calibration): Promise<void> {
  await database.calibrations.put(calibration);
}
