import { fitLine, NORMAL_95 } from '../maths/fit-line';
import { readClock, type ClockMeasurement } from './measure-clock';

export interface DriftReport {
  /** Parts per million relative to the nominal tempo, plus is fast; with its 95% interval. */
  ppm: number;
  ci95Ppm: [number, number];
  /** The same over a song of this many minutes, ms; plus is early. */
  msPerSong: number;
  /** Whether it is significant. */
  told: boolean;
}

export interface DriftSettings {
  /** The nominal tempo. */
  bpm: number;
  ticksPerBeat?: number;
  songMinutes?: number;
}

/**
 * Correlated noise carries less information than its tick count suggests: average over blocks of this many ticks first.
 */
const BLOCK_TICKS = 96;
const SONG_MINUTES = 4;
const MIN_BLOCKS = 8;

/**
 * A clock's drift from its nominal tempo: the least-squares slope of the ticks, with an interval from block means, so
 * that correlated noise doesn't make it too narrow.
 * @throws RangeError if there are too few ticks.
 */
export function measureDrift(timesMs: ArrayLike<number>, settings: DriftSettings): DriftReport {
  return driftOf(readClock(timesMs, settings.ticksPerBeat), settings);
}

/** The same for a clock that has been read already. */
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

/** Standard error of the slope from block means of the residuals, ms per tick; 0 if there are too few blocks. */
function blockedError(timeErrorMs: Float64Array): number {
  const blocks = Math.floor(timeErrorMs.length / BLOCK_TICKS);
  if (blocks < MIN_BLOCKS) return 0;
  const means = Array.from({ length: blocks }, (_, b) => {
    let sum = 0;
    for (let i = 0; i < BLOCK_TICKS; i++) sum += timeErrorMs[b * BLOCK_TICKS + i] as number;
    return sum / BLOCK_TICKS;
  });
  const { slopeError } = fitLine(
    means.map((_, b) => b),
    means,
  );
  return slopeError / BLOCK_TICKS;
}
