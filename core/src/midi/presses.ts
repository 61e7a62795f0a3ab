import type { MidiMessage } from './message';
import { decodeMmc } from './mmc';
import { MidiParser } from './parser';

/** Something a musician can press: a key, pad, pedal, knob, program button or transport button. Channels from 1. */
export type Signal =
  | { kind: 'note'; channel: number; note: number }
  | { kind: 'controller'; channel: number; controller: number }
  | { kind: 'program'; channel: number; program: number }
  | { kind: 'transport'; message: 'start' | 'continue' | 'stop' }
  | { kind: 'machine'; command: string };

/** A signal went down, or was let go of. Program changes and transport only go down. */
export interface Press {
  signal: Signal;
  down: boolean;
}

/** A controller is down from here on (MIDI 1.0: switches are off up to 63 and on from 64). */
const DOWN = 64;
const MAX_PORTS = 256;

/** Two presses of the same thing have the same key. */
export function signalKey(signal: Signal): string {
  return Object.values(signal).join(' ');
}

/** Turns what arrives at the ports into presses. */
export class Presses {
  readonly #parsers = new Map<string, MidiParser>();
  /** The last value of each controller, by port, channel and number. */
  readonly #values = new Map<string, number>();

  receive(portId: string, bytes: Uint8Array, atMs: number): Press[] {
    const parser = this.#parsers.get(portId) ?? new MidiParser();
    if (this.#parsers.size < MAX_PORTS) this.#parsers.set(portId, parser);
    return parser.push(bytes, atMs).flatMap(({ message }) => this.#pressesOf(portId, message));
  }

  #pressesOf(portId: string, message: MidiMessage): Press[] {
    switch (message.kind) {
      case 'noteOn':
      case 'noteOff': {
        const { channel, note } = message;
        const down = message.kind === 'noteOn' && message.velocity > 0;
        return [{ signal: { kind: 'note', channel, note }, down }];
      }
      case 'controlChange':
        return this.#turned(portId, message);
      case 'programChange':
        return [{ signal: { kind: 'program', channel: message.channel, program: message.program }, down: true }];
      case 'start':
      case 'continue':
      case 'stop':
        return [{ signal: { kind: 'transport', message: message.kind }, down: true }];
      case 'sysex':
        return decodeMmc(message.data).commands.flatMap(({ kind }) =>
          kind === 'unknown' || kind === 'locate' ? [] : [{ signal: { kind: 'machine', command: kind }, down: true }],
        );
      default:
        return [];
    }
  }

  /** A knob that is turned up is one press; a pedal that only ever sends its full value is one each time. */
  #turned(portId: string, { channel, controller, value }: Extract<MidiMessage, { kind: 'controlChange' }>): Press[] {
    const signal: Signal = { kind: 'controller', channel, controller };
    const key = `${portId} ${signalKey(signal)}`;
    const before = this.#values.get(key) ?? 0;
    this.#values.set(key, value);
    const [was, is] = [before >= DOWN, value >= DOWN];
    if (is) return was && !(value === 127 && before === 127) ? [] : [{ signal, down: true }];
    return was ? [{ signal, down: false }] : [];
  }
}
