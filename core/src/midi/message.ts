/** Every MIDI 1.0 message (MIDI 1.0 Detailed Specification 4.2.1). Channels count from 1, as printed on gear. */
export type MidiMessage =
  | { kind: 'clock' }
  | { kind: 'start' }
  | { kind: 'continue' }
  | { kind: 'stop' }
  | { kind: 'activeSensing' }
  | { kind: 'reset' }
  | { kind: 'tuneRequest' }
  /** Piece 0..7, nibble 0..15. */
  | { kind: 'quarterFrame'; piece: number; nibble: number }
  /** Song position in sixteenth notes, 0..16383. */
  | { kind: 'songPosition'; sixteenths: number }
  | { kind: 'songSelect'; song: number }
  | { kind: 'noteOn' | 'noteOff'; channel: number; note: number; velocity: number }
  | { kind: 'polyPressure'; channel: number; note: number; pressure: number }
  | { kind: 'controlChange'; channel: number; controller: number; value: number }
  | { kind: 'programChange'; channel: number; program: number }
  | { kind: 'channelPressure'; channel: number; pressure: number }
  /** Value 0..16383; 8192 is the centre. */
  | { kind: 'pitchBend'; channel: number; value: number }
  /** Data bytes without F0 and F7. */
  | { kind: 'sysex'; data: Uint8Array };

/** A message and when it is due, or arrived, in milliseconds on one monotonic timeline. */
export interface TimedMessage {
  atMs: number;
  message: MidiMessage;
}

/** MIDI clock: 24 ticks per quarter note; a song position unit is a sixteenth, six ticks. */
export const TICKS_PER_BEAT = 24;
export const SIXTEENTHS_PER_BEAT = 4;
export const TICKS_PER_SIXTEENTH = TICKS_PER_BEAT / SIXTEENTHS_PER_BEAT;
