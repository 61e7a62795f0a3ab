import { MidiParser } from '../midi/parser';
import { SIXTEENTHS_PER_BEAT, TICKS_PER_BEAT, type MidiMessage } from '../midi/message';
import { seededRandom, type SeededRandom } from './random';
import { encodeMidi } from '../midi/encode-midi';
import type { SendBytes, Sound, StandIn } from './stand-in';
import type { VoiceName } from './voices';

export interface BeatBoxSettings {
  /** Hidden: from the tick to the sound. */
  latencyMs: number;
  /** Hidden: standard deviation of the latency, from beat to beat. */
  jitterMs: number;
  /** Hidden: every start adds up to this much latency, another each time. */
  startSpreadMs?: number;
  seed: number;
  /** Ignores song position and continue: it can only start from the top. */
  fromTopOnly?: boolean;
  /** Its clock source setting; on internal it ignores clock and start. */
  clockSource?: 'external' | 'internal';
  /** It sends on the sync that it receives. Hidden: how late, and the standard deviation of that. */
  returns?: { lateMs: number; jitterMs: number };
  /** Its programs, from 0, other numbers from the start again. Hidden: how long a change takes, and its standard deviation. */
  programs?: { voices: readonly VoiceName[]; changeMs: number; jitterMs: number };
}

const SYNC: ReadonlySet<string> = new Set<MidiMessage['kind']>([
  ...(['clock', 'start', 'continue', 'stop', 'songPosition', 'quarterFrame'] as const),
]);

const TICKS_PER_SIXTEENTH = TICKS_PER_BEAT / SIXTEENTHS_PER_BEAT;

/**
 * A simulated drum machine: plays a hit on every quarter note of its clock, and one for every note received, each after
 * its latency. Follows start, stop, continue and song position as its settings allow.
 */
export class BeatBox implements StandIn {
  readonly #settings: BeatBoxSettings;
  readonly #random: SeededRandom;
  readonly #parser = new MidiParser();
  readonly #sound: Sound;
  readonly #send: SendBytes;
  /** Its own, so that what it sends doesn't move its hits. */
  readonly #sendRandom: SeededRandom;
  #sentMs = -Infinity;
  #external: boolean;
  #playing = false;
  #tick = 0;
  #startLateMs = 0;
  /** The program in force, and the one that is being loaded. */
  #voice: VoiceName | undefined;
  #loading: { voice: VoiceName | undefined; untilMs: number } | null = null;

  /** `sound` is called for each hit with its time, `send` with what it sends back. */
  constructor(settings: BeatBoxSettings, sound: Sound, send: SendBytes = () => undefined) {
    this.#settings = settings;
    this.#random = seededRandom(settings.seed);
    this.#sound = sound;
    this.#send = send;
    this.#sendRandom = seededRandom(~settings.seed);
    this.#external = settings.clockSource !== 'internal';
  }

  /** Changes its clock source setting. */
  listenTo(source: 'external' | 'internal'): void {
    this.#external = source === 'external';
    if (!this.#external) this.#playing = false;
  }

  /** Its display: the next tick, and whether it plays. */
  get display(): { playing: boolean; tick: number } {
    return { playing: this.#playing, tick: this.#tick };
  }

  receive(bytes: Uint8Array, atMs: number): void {
    for (const { message } of this.#parser.push(bytes, atMs)) {
      this.#obey(message, atMs);
      this.#sendOn(message, atMs);
    }
  }

  advance(): void {
    // Does nothing on its own.
  }

  #obey(message: MidiMessage, atMs: number): void {
    if (message.kind === 'noteOn' && message.velocity > 0) this.#hit(atMs);
    if (message.kind === 'programChange') this.#load(message.program, atMs);
    if (!this.#external) return;
    const { fromTopOnly = false } = this.#settings;
    switch (message.kind) {
      case 'start':
        this.#tick = 0;
        this.#begin();
        return;
      case 'continue':
        if (!this.#playing && !fromTopOnly) this.#begin();
        return;
      case 'stop':
        this.#playing = false;
        return;
      case 'songPosition':
        if (!this.#playing && !fromTopOnly) this.#tick = message.sixteenths * TICKS_PER_SIXTEENTH;
        return;
      case 'clock':
        if (this.#playing && this.#tick++ % TICKS_PER_BEAT === 0) this.#hit(atMs);
    }
  }

  #sendOn(message: MidiMessage, atMs: number): void {
    const { returns } = this.#settings;
    if (!returns || !this.#external || !SYNC.has(message.kind)) return;
    const dueMs = atMs + Math.max(0, returns.lateMs + returns.jitterMs * this.#sendRandom.normal());
    // One wire: nothing overtakes.
    this.#sentMs = Math.max(this.#sentMs, dueMs);
    this.#send(encodeMidi(message), this.#sentMs);
  }

  #begin(): void {
    const { startSpreadMs = 0 } = this.#settings;
    this.#playing = true;
    if (startSpreadMs > 0) this.#startLateMs = startSpreadMs * this.#random.uniform();
  }

  #load(program: number, atMs: number): void {
    const { programs } = this.#settings;
    if (!programs) return;
    const takesMs = Math.max(0, programs.changeMs + programs.jitterMs * this.#sendRandom.normal());
    this.#loading = { voice: programs.voices[program % programs.voices.length], untilMs: atMs + takesMs };
  }

  #hit(atMs: number): void {
    if (this.#loading && atMs >= this.#loading.untilMs) {
      this.#voice = this.#loading.voice;
      this.#loading = null;
    }
    const lateMs = this.#settings.latencyMs + this.#startLateMs + this.#settings.jitterMs * this.#random.normal();
    // Nothing sounds before it was triggered.
    this.#sound(atMs + Math.max(0, lateMs), this.#voice);
  }
}
