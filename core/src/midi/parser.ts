import { lengthAfter } from './command-lengths';
import type { MidiMessage, TimedMessage } from './message';

const SILENT: ReadonlySet<number> = new Set([0xf4, 0xf5, 0xf9, 0xfd]);

/**
 * Turns a byte stream, cut anywhere, into messages. Handles running status, real-time bytes inside other messages, and
 * SysEx across pushes; skips invalid bytes and counts them in `skippedBytes`. Never throws. A message carries the time
 * of the push that completed it, in ms. Source: MIDI 1.0 Detailed Specification 4.2.1.
 */
export class MidiParser {
  /** Bytes outside any message: garbage, truncated messages, SysEx over the limit. */
  skippedBytes = 0;

  #status = 0;
  readonly #data: number[] = [];
  #sysex: number[] | null = null;
  #sysexOverflow = false;
  readonly #maxSysexBytes: number;

  constructor(options: { maxSysexBytes?: number } = {}) {
    this.#maxSysexBytes = options.maxSysexBytes ?? 65_536;
  }

  push(bytes: Uint8Array, atMs: number): TimedMessage[] {
    const out: TimedMessage[] = [];
    for (const byte of bytes) {
      const message = this.#byte(byte);
      if (message) out.push({ atMs, message });
    }
    return out;
  }

  #byte(byte: number): MidiMessage | null {
    if (byte >= 0xf8) return this.#realTime(byte);
    if (byte >= 0x80) return this.#statusByte(byte);
    if (this.#sysex) return this.#sysexByte(this.#sysex, byte);
    return this.#dataByte(byte);
  }

  /** Real-time bytes may occur anywhere, even inside other messages. */
  #realTime(byte: number): MidiMessage | null {
    if (SILENT.has(byte)) this.skippedBytes++;
    return REAL_TIME[byte] ?? null;
  }

  #statusByte(byte: number): MidiMessage | null {
    const sysex = this.#sysex;
    this.#sysex = null;
    if (byte === 0xf7) {
      this.#forget();
      if (sysex && !this.#sysexOverflow) return { kind: 'sysex', data: Uint8Array.from(sysex) };
      this.skippedBytes += 1 + (sysex?.length ?? 0);
      return null;
    }
    // Any other status byte ends a truncated SysEx.
    this.skippedBytes += sysex ? sysex.length + 1 : 0;
    this.#forget();
    if (byte === 0xf0) {
      this.#sysex = [];
      this.#sysexOverflow = false;
      return null;
    }
    if (SILENT.has(byte)) {
      this.skippedBytes++;
      return null;
    }
    this.#status = byte;
    return lengthAfter(byte) === 0 ? this.#complete() : null;
  }

  #sysexByte(sysex: number[], byte: number): null {
    if (sysex.length < this.#maxSysexBytes) sysex.push(byte);
    else {
      this.#sysexOverflow = true;
      this.skippedBytes++;
    }
    return null;
  }

  #dataByte(byte: number): MidiMessage | null {
    if (this.#status === 0) {
      this.skippedBytes++;
      return null;
    }
    this.#data.push(byte);
    return this.#data.length === lengthAfter(this.#status) ? this.#complete() : null;
  }

  #complete(): MidiMessage {
    const message = decode(this.#status, this.#data[0] ?? 0, this.#data[1] ?? 0);
    this.#data.length = 0;
    // System common messages clear running status.
    if (this.#status >= 0xf0) this.#status = 0;
    return message;
  }

  /** A message interrupted by a new status byte is discarded; count its own bytes, but not a running status. */
  #forget(): void {
    this.skippedBytes += this.#data.length;
    this.#data.length = 0;
    this.#status = 0;
  }
}

const REAL_TIME: Readonly<Record<number, MidiMessage>> = {
  0xf8: { kind: 'clock' },
  0xfa: { kind: 'start' },
  0xfb: { kind: 'continue' },
  0xfc: { kind: 'stop' },
  0xfe: { kind: 'activeSensing' },
  0xff: { kind: 'reset' },
};

function decode(status: number, first: number, second: number): MidiMessage {
  switch (status) {
    case 0xf1:
      return { kind: 'quarterFrame', piece: first >> 4, nibble: first & 0x0f };
    case 0xf2:
      return { kind: 'songPosition', sixteenths: first | (second << 7) };
    case 0xf3:
      return { kind: 'songSelect', song: first };
    case 0xf6:
      return { kind: 'tuneRequest' };
  }
  const channel = (status & 0x0f) + 1;
  switch (status & 0xf0) {
    case 0x80:
      return { kind: 'noteOff', channel, note: first, velocity: second };
    case 0x90:
      return { kind: 'noteOn', channel, note: first, velocity: second };
    case 0xa0:
      return { kind: 'polyPressure', channel, note: first, pressure: second };
    case 0xb0:
      return { kind: 'controlChange', channel, controller: first, value: second };
    case 0xc0:
      return { kind: 'programChange', channel, program: first };
    case 0xd0:
      return { kind: 'channelPressure', channel, pressure: first };
    default:
      return { kind: 'pitchBend', channel, value: first | (second << 7) };
  }
}
