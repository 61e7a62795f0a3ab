import { encodeMidi } from '../midi/encode-midi';
import { MidiParser } from '../midi/parser';
import type { SendBytes, Sound, StandIn } from './stand-in';
import { TimeMaster, type TimeMasterSettings } from './time-master';

export interface KeyboardSettings extends Omit<TimeMasterSettings, 'sends' | 'clockWhileStopped'> {
  /** Its MIDI thru setting: repeats its input on its out. */
  thru: boolean;
}

/** MIDI 1.0, identity reply: device 0, the id for non-commercial use, and no family, member or version. */
const IDENTITY = Uint8Array.of(0x7e, 0, 0x06, 0x02, 0x7d, 0, 0, 0, 0, 0, 0, 0, 0);
const ANSWER_MS = 4;
const SENDS = { clock: true, transport: true, position: true, timecode: null };

/**
 * A simulated keyboard with a sequencer: leads with clock when started, answers identity requests, sends the keys
 * played, and repeats its input if thru is on.
 */
export class Keyboard implements StandIn {
  readonly #parser = new MidiParser();
  readonly #send: SendBytes;
  readonly #master: TimeMaster;
  #thru: boolean;
  #plugged = true;

  constructor(settings: KeyboardSettings, send: SendBytes, sound?: Sound) {
    this.#thru = settings.thru;
    this.#send = (bytes, atMs) => {
      if (this.#plugged) send(bytes, atMs);
    };
    // Its clock runs only during playback.
    this.#master = new TimeMaster({ ...settings, sends: SENDS, clockWhileStopped: false }, this.#send, sound);
  }

  /** Turns its MIDI thru on or off. */
  setThru(on: boolean): void {
    this.#thru = on;
  }

  /** Unplugs the cable from its out, or plugs it back in. */
  plug(plugged: boolean): void {
    this.#plugged = plugged;
  }

  play(fromBeat = 0): void {
    this.#master.play(fromBeat);
  }

  stop(): void {
    this.#master.stop();
  }

  turnTempo(bpm: number): void {
    this.#master.turnTempo(bpm);
  }

  /** Presses a key, or releases it with velocity 0. */
  press(note: number, velocity: number, atMs: number): void {
    this.#send(encodeMidi({ kind: 'noteOn', channel: 1, note, velocity }), atMs);
  }

  receive(bytes: Uint8Array, atMs: number): void {
    if (this.#thru) this.#send(bytes, atMs);
    for (const { message } of this.#parser.push(bytes, atMs)) {
      const asked = message.kind === 'sysex' && message.data[0] === 0x7e && message.data[2] === 6;
      if (asked && message.data[3] === 1) this.#send(encodeMidi({ kind: 'sysex', data: IDENTITY }), atMs + ANSWER_MS);
    }
  }

  advance(toMs: number): void {
    this.#master.advance(toMs);
  }
}
