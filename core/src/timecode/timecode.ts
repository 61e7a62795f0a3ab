const { floor } = Math;

/** Frames per second; `29.97df` counts 30 but drops numbers, and runs at 30000/1001. */
export type FrameRate = '24' | '25' | '29.97df' | '30';

export interface Timecode {
  hours: number;
  minutes: number;
  seconds: number;
  frames: number;
}

interface RateFacts {
  /** Frame numbers per second. */
  readonly count: number;
  /** Real frames per second of wall-clock time. */
  readonly perSecond: number;
  readonly drop: boolean;
}

export const FRAME_RATES: Readonly<Record<FrameRate, RateFacts>> = {
  '24': { count: 24, perSecond: 24, drop: false },
  '25': { count: 25, perSecond: 25, drop: false },
  '29.97df': { count: 30, perSecond: 30_000 / 1001, drop: true },
  '30': { count: 30, perSecond: 30, drop: false },
};

// SMPTE ST 12-1: 1,800 frames in the first minute of ten, 1,798 in each of the others.
const DROP_MINUTE = 1798;
const DROP_TEN_MINUTES = 17_982;
const DROP_DAY = 2_589_408;

/** Number of codes per day at this rate. */
export function framesPerDay(rate: FrameRate): number {
  return FRAME_RATES[rate].drop ? DROP_DAY : FRAME_RATES[rate].count * 86_400;
}

/** The code of a frame counted from 00:00:00:00; wraps at 24 hours, also for negative frames. */
export function framesToTimecode(frame: number, rate: FrameRate): Timecode {
  const { count, drop } = FRAME_RATES[rate];
  const day = framesPerDay(rate);
  const wrapped = ((floor(frame) % day) + day) % day;
  const number = drop ? wrapped + droppedBefore(wrapped) : wrapped;
  return {
    hours: floor(number / (count * 3600)),
    minutes: floor(number / (count * 60)) % 60,
    seconds: floor(number / count) % 60,
    frames: number % count,
  };
}

function droppedBefore(frame: number): number {
  const tens = floor(frame / DROP_TEN_MINUTES);
  const rest = frame % DROP_TEN_MINUTES;
  return 18 * tens + (rest < 1800 ? 0 : 2 * (1 + floor((rest - 1800) / DROP_MINUTE)));
}

/**
 * The frame of a code, counted from 00:00:00:00.
 * @throws RangeError on a code that doesn't exist at this rate, such as a dropped number.
 */
export function timecodeToFrames(timecode: Timecode, rate: FrameRate): number {
  const { count, drop } = FRAME_RATES[rate];
  const { hours, minutes, seconds, frames } = timecode;
  const fits = (value: number, below: number) => value >= 0 && value < below && floor(value) === value;
  if (!fits(hours, 24) || !fits(minutes, 60) || !fits(seconds, 60) || !fits(frames, count))
    throw new RangeError(`Timecode ${hours}:${minutes}:${seconds}:${frames} doesn’t exist at ${rate} fps.`);
  if (drop && frames < 2 && seconds === 0 && minutes % 10 !== 0)
    throw new RangeError(
      `${formatTimecode(timecode, rate)} doesn’t exist in drop-frame timecode. Use frame 02 instead.`,
    );
  const totalMinutes = hours * 60 + minutes;
  const dropped = drop ? 2 * (totalMinutes - floor(totalMinutes / 10)) : 0;
  return (totalMinutes * 60 + seconds) * count + frames - dropped;
}

/** The code itself, or the nearest that exists at this rate: at most the last frame, and no dropped number. */
export function codeAtRate(timecode: Timecode, rate: FrameRate): Timecode {
  const { count, drop } = FRAME_RATES[rate];
  const frames = Math.min(timecode.frames, count - 1);
  const dropped = drop && timecode.minutes % 10 !== 0 && timecode.seconds === 0 && frames < 2;
  return { ...timecode, frames: dropped ? 2 : frames };
}

/** `01:02:03:04`; in drop-frame `01:02:03;04`. */
export function formatTimecode(timecode: Timecode, rate: FrameRate): string {
  const two = (value: number) => String(value).padStart(2, '0');
  const { hours, minutes, seconds, frames } = timecode;
  return `${two(hours)}:${two(minutes)}:${two(seconds)}${FRAME_RATES[rate].drop ? ';' : ':'}${two(frames)}`;
}

/** @throws RangeError if the text isn't a code, or the code doesn't exist at this rate. */
export function parseTimecode(text: string, rate: FrameRate): Timecode {
  const match = /^\s*(\d{1,2}):(\d{1,2}):(\d{1,2})[:;.](\d{1,2})\s*$/.exec(text);
  if (!match) throw new RangeError(`"${text.slice(0, 20)}" isn’t a timecode. Use the form 01:02:03:04.`);
  const [hours = 0, minutes = 0, seconds = 0, frames = 0] = match.slice(1).map(Number);
  const timecode = { hours, minutes, seconds, frames };
  timecodeToFrames(timecode, rate);
  return timecode;
}

/** Wall-clock seconds as fractional frames; 29.97 is 30000/1001. */
export function secondsToFrames(seconds: number, rate: FrameRate): number {
  return seconds * FRAME_RATES[rate].perSecond;
}
