import { database } from './database';
import type { Calibration } from './records';

/** The latest round trip of an input; null if it was never measured. */
export async function findCalibration(input: string): Promise<Calibration | null> {
  const all = await database.calibrations.toArray();
  const mine = all.filter((one) => one.input === input);
  return mine.sort((a, b) => b.at - a.at)[0] ?? null;
}

export async function keepCalibration(calibration: Calibration): Promise<void> {
  await database.calibrations.put(calibration);
}
