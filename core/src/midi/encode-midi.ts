import type { MidiMessage } from './message';

const STATUS_ONLY = {
  tuneRequest: 0xf6,
  clock: 0xf8,
  start: 0xfa,
  continue: 0xfb,
  stop: 0xfc,
  activeSensing: 0xfe,
  reset: 0xff,
} as const;

/**
 * The bytes of one message, with its status byte (no running status).
 * @throws RangeError if a field is out of range, naming the field and its range.
 */
export function encodeMidi(message: MidiMessage): Uint8Array {
  switch (message.kind) {
    case 'quarterFrame':
      return Uint8Array.of(
        0xf1,
        (assertRange('piece', message.piece, 7) << 4) | assertRange('nibble', message.nibble, 15),
      );
    case 'songPosition':
      return Uint8Array.of(0xf2, ...fourteenBits('sixteenths', message.sixteenths));
    case 'songSelect':
      return Uint8Array.of(0xf3, assertRange('song', message.song, 127));
    case 'noteOff':
      return voice(
        0x80,
        message.channel,
        assertRange('note', message.note, 127),
        assertRange('velocity', message.velocity, 127),
      );
    case 'noteOn':
      return voice(
        0x90,
        message.channel,
        assertRange('note', message.note, 127),
        assertRange('velocity', message.velocity, 127),
      );
    case 'polyPressure':
      return voice(
        0xa0,
        message.channel,
        assertRange('note', message.note, 127),
        assertRange('pressure', message.pressure, 127),
      );
    case 'controlChange':
      return voice(
        0xb0,
        message.channel,
        assertRange('controller', message.controller, 127),
        assertRange('value', message.value, 127),
      );
    case 'programChange':
      return voice(0xc0, message.channel, assertRange('program', message.program, 127));
    case 'channelPressure':
      return voice(0xd0, message.channel, assertRange('pressure', message.pressure, 127));
    case 'pitchBend':
      return voice(0xe0, message.channel, ...fourteenBits('value', message.value));
    case 'sysex':
      return systemExclusive(message.data);
    default:
      return Uint8Array.of(STATUS_ONLY[message.kind]);
  }
}

function voice(status: number, channel: number, ...data: number[]): Uint8Array {
  if (!Number.isInteger(channel) || channel < 1 || channel > 16)
    throw new RangeError(`MIDI channel must be a whole number from 1 to 16, not ${channel}.`);
  return Uint8Array.of(status | (channel - 1), ...data);
}

function systemExclusive(data: Uint8Array): Uint8Array {
  const bad = data.findIndex((byte) => byte > 0x7f);
  if (bad >= 0) throw new RangeError(`SysEx data byte ${bad} must be from 0 to 127, not ${data[bad]}.`);
  const bytes = new Uint8Array(data.length + 2);
  bytes[0] = 0xf0;
  bytes.set(data, 1);
  bytes[bytes.length - 1] = 0xf7;
  return bytes;
}

function fourteenBits(field: string, value: number): [number, number] {
  assertRange(field, value, 16383);
  return [value & 0x7f, value >> 7];
}

function assertRange(field: string, value: number, most: number): number {
  if (!Number.isInteger(value) || value < 0 || value > most)
    throw new RangeError(`MIDI ${field} must be a whole number from 0 to ${most}, not ${value}.`);
  return value;
}
