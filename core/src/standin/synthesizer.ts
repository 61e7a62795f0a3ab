import { SIXTEENTHS_PER_BEAT, TICKS_PER_BEAT, type MidiMessage } from '../midi/message';
import { MidiParser } from '../midi/parser';
import { seededRandom, type SeededRandom } from './random';
import type { StandIn } from './stand-in';

export interface SynthesizerSettings {
  /** Its receive channel, 1..16. */
  channel: number;
  /** Hidden: from the note to the sound, ms, and its spread. */
  latencyMs: number;
  jitterMs: number;
  /** Plays held notes one after the other on every sixteenth of the clock. */
  arpeggiator: boolean;
  seed: number;
}

const TICKS_PER_STEP = TICKS_PER_BEAT / SIXTEENTHS_PER_BEAT;

/** A simulated synthesizer: plays the notes it receives, or runs its arpeggiator over them on the clock. */
export class Synthesizer implements StandIn {
  readonly #settings: SynthesizerSettings;
  readonly #random: SeededRandom;
  readonly #parser = new MidiParser();
  readonly #sound: (atMs: number, note: number) => void;
  #held: number[] = [];
  #playing = false;
  #tick = 0;
  #step = 0;

  constructor(settings: SynthesizerSettings, sound: (atMs: number, note: number) => void) {
    this.#settings = settings;
    this.#random = seededRandom(settings.seed);
    this.#sound = sound;
  }

  receive(bytes: Uint8Array, atMs: number): void {
    for (const { message } of this.#parser.push(bytes, atMs)) this.#obey(message, atMs);
  }

  advance(): void {
    // Does nothing on its own.
  }

  #obey(message: MidiMessage, atMs: number): void {
    switch (message.kind) {
      case 'noteOn':
      case 'noteOff':
        if (message.channel === this.#settings.channel) this.#key(message, atMs);
        return;
      case 'start':
        this.#tick = this.#step = 0;
        this.#playing = true;
        return;
      case 'continue':
        this.#playing = true;
        return;
      case 'stop':
        this.#playing = false;
        return;
      case 'songPosition':
        if (!this.#playing) this.#tick = this.#step = message.sixteenths * TICKS_PER_STEP;
        return;
      case 'clock':
        if (this.#playing && this.#tick++ % TICKS_PER_STEP === 0) this.#arpeggiate(atMs);
    }
  }

  #key({ note, velocity, kind }: { note: number; velocity: number; kind: string }, atMs: number): void {
    const pressed = kind === 'noteOn' && velocity > 0;
    this.#held = this.#held.filter((held) => held !== note);
    if (pressed) this.#held = [...this.#held, note].sort((a, b) => a - b);
    if (pressed && !this.#settings.arpeggiator) this.#play(note, atMs);
  }

  #arpeggiate(atMs: number): void {
    const note = this.#held[this.#step++ % Math.max(1, this.#held.length)];
    if (this.#settings.arpeggiator && note !== undefined) this.#play(note, atMs);
  }

  #play(note: number, atMs: number): void {
    const { latencyMs, jitterMs } = this.#settings;
    this.#sound(atMs + Math.max(0, latencyMs + jitterMs * this.#random.normal()), note);
  }
}
