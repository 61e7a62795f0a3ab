import { readClock, type ClockMeasurement } from './measure-clock';

export interface DriftReport {
  /** Parts per million against the tempo it should have, plus is fast; with its 95 % interval. */
  ppm: number;
  ci95Ppm: [number, number];
  /** What that is over a song of so many minutes, ms: plus comes early. */
  msPerSong: number;
  /** Whether it can be told from none. */
  told: boolean;
}

export interface DriftSettings {
  /** The tempo it should have. */
  bpm: number;
  ticksPerBeat?: number;
  songMinutes?: number;
}

const NORMAL_95 = 1.96;
/** Noise that is alike from tick to tick says less than its count of ticks promises: over so many ticks it is averaged first. */
const BLOCK_TICKS = 96;
const SONG_MINUTES = 4;
const FEWEST_BLOCKS = 8;

/**
 * How much faster or slower than its tempo a clock runs. The line of least squares through the ticks is the estimate; its
 * interval comes from blocks of ticks, so that noise which goes on from one to the next does not make it too narrow.
 * @throws RangeError when there are too few ticks to tell.
 */
export function measureDrift(timesMs: ArrayLike<number>, settings: DriftSettings): DriftReport {
  return driftOf(readClock(timesMs, settings.ticksPerBeat), settings);
}

/** The same of a clock that has been read already. */
export function driftOf(
  { intervalMs, intervalStandardErrorMs, timeErrorMs }: ClockMeasurement,
  { bpm, ticksPerBeat = 24, songMinutes = SONG_MINUTES }: DriftSettings,
): DriftReport {
  const wantedMs = 60_000 / bpm / ticksPerBeat;
  const ppm = (wantedMs / intervalMs - 1) * 1e6;
  const errorMs = Math.max(intervalStandardErrorMs, blockedError(timeErrorMs));
  const half = (NORMAL_95 * errorMs * 1e6) / intervalMs;
  return {
    ppm,
    ci95Ppm: [ppm - half, ppm + half],
    msPerSong: (ppm * songMinutes * 60_000) / 1e6,
    told: Math.abs(ppm) > half,
  };
}

/** The slope's standard error from the means of blocks of residuals, ms a tick; 0 where there are too few. */
function blockedError(timeErrorMs: Float64Array): number {
  const blocks = Math.floor(timeErrorMs.length / BLOCK_TICKS);
  if (blocks < FEWEST_BLOCKS) return 0;
  const means = Array.from({ length: blocks }, (_, b) => {
    let sum = 0;
    for (let i = 0; i < BLOCK_TICKS; i++) sum += timeErrorMs[b * BLOCK_TICKS + i] as number;
    return sum / BLOCK_TICKS;
  });
  const middle = (blocks - 1) / 2;
  const spread = means.reduce((sum, mean) => sum + mean * mean, 0) / Math.max(1, blocks - 2);
  const kk = means.reduce((sum, _, b) => sum + (b - middle) ** 2, 0);
  return Math.sqrt(spread / kk) / BLOCK_TICKS;
}
