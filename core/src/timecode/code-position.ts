import type { MmcPosition } from '../midi/mmc';
import {
  FRAME_RATES,
  framesPerDay,
  framesToTimecode,
  timecodeToFrames,
  type FrameRate,
  type Timecode,
} from './timecode';
import { rateCode, rateOfCode } from './timecode-messages';

/** Machine control counts hundredths of a frame. */
export const SUBFRAMES_PER_FRAME = 100;

/** Wall-clock seconds from 00:00:00:00 to a frame, which may be fractional. */
export function framesToSeconds(frames: number, rate: FrameRate): number {
  return frames / FRAME_RATES[rate].perSecond;
}

/** A fractional frame as a machine control position; wraps at 24 hours. */
export function framesToPosition(frames: number, rate: FrameRate): MmcPosition {
  const hundredths = Math.round(frames * SUBFRAMES_PER_FRAME);
  const frame = Math.floor(hundredths / SUBFRAMES_PER_FRAME);
  const subframes = hundredths - frame * SUBFRAMES_PER_FRAME;
  return { rateCode: rateCode(rate), ...framesToTimecode(frame, rate), subframes };
}

/** The fractional frame and rate of a machine control position; null if there is no such code. */
export function positionToFrames(position: MmcPosition): { frames: number; rate: FrameRate } | null {
  const rate = rateOfCode(position.rateCode);
  const { hours, minutes, seconds, frames, subframes } = position;
  try {
    const whole = timecodeToFrames({ hours, minutes, seconds, frames }, rate);
    return { frames: whole + subframes / SUBFRAMES_PER_FRAME, rate };
  } catch {
    return null;
  }
}

/** How far the second frame is ahead of the first on the 24-hour dial: from minus to plus half a day. */
export function framesAhead(from: number, to: number, rate: FrameRate): number {
  const day = framesPerDay(rate);
  const ahead = (((to - from) % day) + day) % day;
  return ahead > day / 2 ? ahead - day : ahead;
}

/** A song position on the dial: the frame of its start plus the elapsed seconds. */
export function songFrames(songMs: number, start: Timecode, rate: FrameRate): number {
  return timecodeToFrames(start, rate) + (songMs / 1000) * FRAME_RATES[rate].perSecond;
}
