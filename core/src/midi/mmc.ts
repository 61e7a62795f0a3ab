import type { MidiMessage } from './message';

/** A position in hours to frames and hundredths of a frame, with the two bits for the frame rate (0..3). */
export interface MmcPosition {
  rateCode: number;
  hours: number;
  minutes: number;
  seconds: number;
  frames: number;
  subframes: number;
}

/** The commands of MIDI Machine Control (RP-013) with no data beyond a position. */
export type MmcCommand =
  | { kind: (typeof PLAIN)[keyof typeof PLAIN] }
  | { kind: 'locate'; position: MmcPosition }
  /** An unsupported command: its number, for display. */
  | { kind: 'unknown'; command: number };

/** Addresses every device. */
export const ALL_DEVICES = 0x7f;

const PLAIN = {
  0x01: 'stop',
  0x02: 'play',
  0x03: 'deferredPlay',
  0x04: 'fastForward',
  0x05: 'rewind',
  0x06: 'recordStrobe',
  0x07: 'recordExit',
  0x08: 'recordPause',
  0x09: 'pause',
  0x0a: 'eject',
  0x0b: 'chase',
  0x0d: 'reset',
} as const;

const NUMBERS = new Map(Object.entries(PLAIN).map(([number, kind]) => [kind as string, Number(number)]));

const UNIVERSAL_REAL_TIME = 0x7f;
const MACHINE_CONTROL_COMMAND = 0x06;
const LOCATE = 0x44;
const LOCATE_TARGET = 0x01;
const LOCATE_DATA_BYTES = 6;
/** Commands from here to 77 hex are followed by a byte count and that many bytes. */
const FIRST_WITH_COUNT = 0x40;
const LAST_WITH_COUNT = 0x77;

/**
 * One command as a SysEx message. Source: MIDI Machine Control, RP-013.
 * @throws RangeError on a device number or a field of the position that is out of range.
 */
export function encodeMmc(
  command: Exclude<MmcCommand, { kind: 'unknown' }>,
  device = ALL_DEVICES,
): Extract<MidiMessage, { kind: 'sysex' }> {
  const body = command.kind === 'locate' ? locateBytes(command.position) : [NUMBERS.get(command.kind) ?? 0];
  const head = [UNIVERSAL_REAL_TIME, assertRange('device', device, 127), MACHINE_CONTROL_COMMAND];
  return { kind: 'sysex', data: Uint8Array.of(...head, ...body) };
}

/**
 * The commands in a SysEx message's data, in order; one message may hold several. Empty if it isn't machine control. A
 * truncated or invalid command ends the list. Never throws.
 */
export function decodeMmc(data: Uint8Array): { device: number; commands: MmcCommand[] } {
  const device = data[1] ?? 0;
  const commands: MmcCommand[] = [];
  if (data[0] !== UNIVERSAL_REAL_TIME || data[2] !== MACHINE_CONTROL_COMMAND) return { device, commands };
  for (let at = 3; at < data.length;) {
    const command = data[at++] as number;
    const plain = PLAIN[command as keyof typeof PLAIN] as (typeof PLAIN)[keyof typeof PLAIN] | undefined;
    if (plain) commands.push({ kind: plain });
    else if (command >= FIRST_WITH_COUNT && command <= LAST_WITH_COUNT) {
      const count = data[at++] ?? Infinity;
      if (at + count > data.length) break;
      const position = command === LOCATE ? locatePosition(data.subarray(at, at + count)) : null;
      commands.push(position ? { kind: 'locate', position } : { kind: 'unknown', command });
      at += count;
    } else commands.push({ kind: 'unknown', command });
  }
  return { device, commands };
}

function locateBytes({ rateCode, hours, minutes, seconds, frames, subframes }: MmcPosition): number[] {
  return [
    LOCATE,
    LOCATE_DATA_BYTES,
    LOCATE_TARGET,
    (assertRange('frame rate', rateCode, 3) << 5) | assertRange('hours', hours, 23),
    assertRange('minutes', minutes, 59),
    assertRange('seconds', seconds, 59),
    assertRange('frames', frames, 29),
    assertRange('subframes', subframes, 99),
  ];
}

function locatePosition(data: Uint8Array): MmcPosition | null {
  const [target, hour = 0, minutes = 0, seconds = 0, frames = 0, subframes = 0] = data;
  const hours = hour & 0x1f;
  const fits = data.length === LOCATE_DATA_BYTES && hours < 24 && minutes < 60 && seconds < 60 && frames < 30;
  if (target !== LOCATE_TARGET || !fits || subframes > 99) return null;
  return { rateCode: (hour >> 5) & 3, hours, minutes, seconds, frames, subframes };
}

function assertRange(field: string, value: number, most: number): number {
  if (!Number.isInteger(value) || value < 0 || value > most)
    throw new RangeError(`MMC ${field} must be a whole number from 0 to ${most}, not ${value}.`);
  return value;
}
