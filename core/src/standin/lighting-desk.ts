import { TICKS_PER_BEAT } from '../midi/message';
import { MidiParser } from '../midi/parser';
import { seededRandom, type SeededRandom } from './random';
import type { StandIn } from './stand-in';

export interface LightingDeskSettings {
  /** Beats per cue; null fires on notes only. */
  everyBeats: number | null;
  /** Hidden: from the byte to the lamp, ms, with the wait for its next frame of light. */
  latencyMs: number;
  frameMs: number;
  seed: number;
}

/** A simulated lighting desk: fires its cues in order, on beats of the clock or on notes. */
export class LightingDesk implements StandIn {
  readonly #settings: LightingDeskSettings;
  readonly #parser = new MidiParser();
  readonly #random: SeededRandom;
  readonly #fire: (atMs: number, cue: number) => void;
  #playing = false;
  #tick = 0;
  #cue = 0;

  constructor(settings: LightingDeskSettings, fire: (atMs: number, cue: number) => void) {
    this.#settings = settings;
    this.#random = seededRandom(settings.seed);
    this.#fire = fire;
  }

  receive(bytes: Uint8Array, atMs: number): void {
    const { everyBeats } = this.#settings;
    for (const { message } of this.#parser.push(bytes, atMs)) {
      if (message.kind === 'start') this.#tick = this.#cue = 0;
      if (message.kind === 'start' || message.kind === 'continue') this.#playing = true;
      if (message.kind === 'stop') this.#playing = false;
      if (message.kind === 'noteOn' && message.velocity > 0) this.#next(atMs);
      if (message.kind !== 'clock' || !this.#playing || everyBeats === null) continue;
      if (this.#tick++ % (everyBeats * TICKS_PER_BEAT) === 0) this.#next(atMs);
    }
  }

  advance(): void {
    // Does nothing on its own.
  }

  #next(atMs: number): void {
    const { latencyMs, frameMs } = this.#settings;
    this.#fire(atMs + latencyMs + frameMs * this.#random.uniform(), this.#cue++);
  }
}
