import { MidiParser } from '../midi/parser';
import { SIXTEENTHS_PER_BEAT, TICKS_PER_BEAT, type MidiMessage } from '../midi/message';
import { seededRandom, type SeededRandom } from './random';
import type { Sound, StandIn } from './stand-in';

export interface BeatBoxSettings {
  /** Hidden: from the tick to the sound. */
  latencyMs: number;
  /** Hidden: standard deviation of that, from beat to beat. */
  jitterMs: number;
  seed: number;
  /** It knows no song position and does not continue: it can only begin, from the top. */
  fromTopOnly?: boolean;
  /** Where its menu says the clock comes from; set to internal, it hears no clock and no start. */
  clockSource?: 'external' | 'internal';
}

const TICKS_PER_SIXTEENTH = TICKS_PER_BEAT / SIXTEENTHS_PER_BEAT;

/**
 * A simulated beat box: plays a hit on every quarter note of the clock it follows, and one for every note it is sent,
 * each a while after the byte came. It honours start, stop, continue and song position, as far as its settings let it.
 */
export class BeatBox implements StandIn {
  readonly #settings: BeatBoxSettings;
  readonly #random: SeededRandom;
  readonly #parser = new MidiParser();
  readonly #sound: Sound;
  #external: boolean;
  #playing = false;
  #tick = 0;

  /** `sound` is told when each hit sounds. */
  constructor(settings: BeatBoxSettings, sound: Sound) {
    this.#settings = settings;
    this.#random = seededRandom(settings.seed);
    this.#sound = sound;
    this.#external = settings.clockSource !== 'internal';
  }

  /** Somebody turns the clock source in its menu. */
  listenTo(source: 'external' | 'internal'): void {
    this.#external = source === 'external';
    if (!this.#external) this.#playing = false;
  }

  /** The next tick it will count, and whether it plays: what its display shows. */
  get display(): { playing: boolean; tick: number } {
    return { playing: this.#playing, tick: this.#tick };
  }

  receive(bytes: Uint8Array, atMs: number): void {
    for (const { message } of this.#parser.push(bytes, atMs)) this.#obey(message, atMs);
  }

  advance(): void {
    // It does nothing of its own accord.
  }

  #obey(message: MidiMessage, atMs: number): void {
    if (message.kind === 'noteOn' && message.velocity > 0) this.#hit(atMs);
    if (!this.#external) return;
    const { fromTopOnly = false } = this.#settings;
    switch (message.kind) {
      case 'start':
        this.#tick = 0;
        this.#playing = true;
        return;
      case 'continue':
        this.#playing ||= !fromTopOnly;
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

  #hit(atMs: number): void {
    const lateMs = this.#settings.latencyMs + this.#settings.jitterMs * this.#random.normal();
    // Nothing sounds before it was asked for.
    this.#sound(atMs + Math.max(0, lateMs));
  }
}
