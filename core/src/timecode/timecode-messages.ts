import { encodeMidi } from '../midi/encode-midi';
import type { MidiMessage } from '../midi/message';
import { framesToTimecode, timecodeToFrames, type FrameRate, type Timecode } from './timecode';

/** Quarter frames per frame; a complete code takes eight, two frames. Source: MIDI Time Code, RP-004/008. */
export const QUARTERS_PER_FRAME = 4;
export const PIECES = 8;

/** Indexed by the two rate bits of MIDI timecode and machine control. */
const RATES: readonly FrameRate[] = ['24', '25', '29.97df', '30'];

export function rateCode(rate: FrameRate): number {
  return RATES.indexOf(rate);
}

/** The rate of the two lowest bits; the others are ignored. */
export function rateOfCode(code: number): FrameRate {
  return RATES[code & 3] as FrameRate;
}

/**
 * One of the eight pieces of a code. The code names the frame at which piece 0 is due; piece k is due k quarter frames
 * later, so the last one comes nearly two frames after the frame it completes.
 */
export function quarterFrame(
  timecode: Timecode,
  rate: FrameRate,
  piece: number,
): Extract<MidiMessage, { kind: 'quarterFrame' }> {
  const { frames, seconds, minutes, hours } = timecode;
  const value = [frames, seconds, minutes, hours | (rateCode(rate) << 5)][piece >> 1] ?? 0;
  return { kind: 'quarterFrame', piece, nibble: piece % 2 === 0 ? value & 0x0f : value >> 4 };
}

/**
 * The eight messages of a code, piece 0 first, two bytes each.
 * @throws RangeError on a code that does not exist at this rate.
 */
export function quarterFrames(timecode: Timecode, rate: FrameRate): Uint8Array[] {
  timecodeToFrames(timecode, rate);
  return Array.from({ length: PIECES }, (_, piece) => encodeMidi(quarterFrame(timecode, rate, piece)));
}

/**
 * Quarter frame number `quarter` of an endless row starting at 00:00:00:00, countable in both directions: codes are
 * sent for every second frame, and in reverse the same pieces are sent at the same places in descending order. `phase`
 * is the quarter at which a piece 0 falls: 0 if even frames are sent, 4 for odd ones.
 */
export function quarterFrameNumber(
  quarter: number,
  rate: FrameRate,
  phase = 0,
): Extract<MidiMessage, { kind: 'quarterFrame' }> {
  const group = Math.floor((quarter - phase) / PIECES) * PIECES + phase;
  return quarterFrame(framesToTimecode(group / QUARTERS_PER_FRAME, rate), rate, quarter - group);
}

/** The code and rate spelled by eight nibbles, piece 0 first; null if there is no such code. */
export function readQuarterFrames(nibbles: readonly number[]): { timecode: Timecode; rate: FrameRate } | null {
  const pair = (piece: number) => (nibbles[piece] ?? 0) | ((nibbles[piece + 1] ?? 0) << 4);
  return checked(pair(6), { minutes: pair(4), seconds: pair(2), frames: pair(0) });
}

const FULL_FRAME_HEAD = [0x7f, 0x7f, 0x01, 0x01];
const FULL_FRAME_LENGTH = 8;

/** The SysEx with a complete position, sent on locate and stop, to all devices. */
export function fullFrameMessage(timecode: Timecode, rate: FrameRate): Extract<MidiMessage, { kind: 'sysex' }> {
  timecodeToFrames(timecode, rate);
  const { hours, minutes, seconds, frames } = timecode;
  const data = Uint8Array.of(...FULL_FRAME_HEAD, hours | (rateCode(rate) << 5), minutes, seconds, frames);
  return { kind: 'sysex', data };
}

/**
 * The same in bytes, with F0 and F7.
 * @throws RangeError on a code that does not exist at this rate.
 */
export function fullFrame(timecode: Timecode, rate: FrameRate): Uint8Array {
  return encodeMidi(fullFrameMessage(timecode, rate));
}

/** The position in a SysEx message's data, to any device; null if it is something else. */
export function readFullFrame(data: Uint8Array): { timecode: Timecode; rate: FrameRate } | null {
  const headFits = FULL_FRAME_HEAD.every((byte, i) => i === 1 || data[i] === byte);
  if (data.length !== FULL_FRAME_LENGTH || !headFits) return null;
  const [hour = 0, minutes = 0, seconds = 0, frames = 0] = data.subarray(4);
  return checked(hour, { minutes, seconds, frames });
}

function checked(hour: number, rest: Omit<Timecode, 'hours'>): { timecode: Timecode; rate: FrameRate } | null {
  const rate = rateOfCode(hour >> 5);
  const timecode = { hours: hour & 0x1f, ...rest };
  try {
    timecodeToFrames(timecode, rate);
  } catch {
    return null;
  }
  return { timecode, rate };
}
