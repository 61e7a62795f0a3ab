import { decodeMmc, MidiParser, type MidiMessage, type Signal } from '@metronomo/core';

/** A message as one line: `F8 clock`, `90 note on 60, velocity 100`. */
export function midiWords(bytes: Uint8Array): string {
  const [first] = new MidiParser().push(bytes, 0);
  const hex = [...bytes.subarray(0, bytes[0] === 0xf0 ? 8 : 1)].map((byte) =>
    byte.toString(16).padStart(2, '0').toUpperCase(),
  );
  return `${hex.join(' ')}${bytes[0] === 0xf0 && bytes.length > 8 ? ' ...' : ''} ${first ? words(first.message) : 'incomplete message'}`;
}

function words(message: MidiMessage): string {
  switch (message.kind) {
    case 'noteOn':
    case 'noteOff':
      return `${message.kind === 'noteOn' ? 'note on' : 'note off'} ${message.note}, velocity ${message.velocity}, channel ${message.channel}`;
    case 'controlChange':
      return `CC ${message.controller} = ${message.value}, channel ${message.channel}`;
    case 'programChange':
      return `program change ${message.program}, channel ${message.channel}`;
    case 'pitchBend':
      return `pitch bend ${message.value - 8192}, channel ${message.channel}`;
    case 'channelPressure':
      return `aftertouch ${message.pressure}, channel ${message.channel}`;
    case 'polyPressure':
      return `poly aftertouch ${message.note}, ${message.pressure}, channel ${message.channel}`;
    case 'songPosition':
      return `song position ${message.sixteenths}`;
    case 'songSelect':
      return `song select ${message.song}`;
    case 'quarterFrame':
      return `MTC quarter frame ${message.piece}, value ${message.nibble}`;
    case 'sysex':
      return systemWords(message.data);
    case 'activeSensing':
      return 'active sensing';
    case 'tuneRequest':
      return 'tune request';
    default:
      return message.kind;
  }
}

/** What a control listens for: `CC 64, channel 1`. */
export function signalWords(signal: Signal): string {
  switch (signal.kind) {
    case 'note':
      return `Note ${signal.note}, channel ${signal.channel}`;
    case 'controller':
      return `CC ${signal.controller}, channel ${signal.channel}`;
    case 'program':
      return `Program ${signal.program}, channel ${signal.channel}`;
    case 'transport':
      return `MIDI ${signal.message}`;
    case 'machine':
      return `MMC ${signal.command}`;
  }
}

function systemWords(data: Uint8Array): string {
  if (data[0] === 0x7f && data[2] === 0x01) return 'MTC full frame';
  if (data[0] === 0x7e && data[2] === 0x06) return data[3] === 0x01 ? 'identity request' : 'identity reply';
  const [command] = data[0] === 0x7f && data[2] === 0x06 ? decodeMmc(data).commands : [];
  return command ? `MMC ${command.kind}` : `SysEx, ${data.length} bytes`;
}
