import { TimecodeFollower } from '../follow/timecode-follower';
import { MidiParser } from '../midi/parser';
import { seededRandom, type SeededRandom } from './random';
import type { Sound, StandIn } from './stand-in';

export interface RecorderSettings {
  /** Hidden: lock time range, ms. */
  lockMs: readonly [number, number];
  /** Hidden: range of its lag behind the code, ms; redrawn at each start. */
  landsMs: readonly [number, number];
  /** Interval of the clicks on its tape, in seconds of code. */
  clickEverySeconds: number;
  seed: number;
}

/** Software that chases timecode starts 30 to 50 ms off and varies between runs (common practice). */
export const USUAL_RECORDER = { lockMs: [300, 1000], landsMs: [30, 50], clickEverySeconds: 0.5 } as const;

/**
 * A simulated recorder that chases timecode: takes a while to lock, and lands slightly off, by a different amount each
 * time.
 */
export class Recorder implements StandIn {
  readonly #settings: RecorderSettings;
  readonly #random: SeededRandom;
  readonly #parser = new MidiParser();
  readonly #follower = new TimecodeFollower();
  readonly #sound: Sound;
  #chase: { readonly runsFromMs: number; readonly behindMs: number } | null = null;
  #nowMs: number | null = null;
  /** Tape position at that moment. */
  #stood: number | null = null;

  constructor(settings: RecorderSettings, sound: Sound) {
    this.#settings = settings;
    this.#random = seededRandom(settings.seed);
    this.#sound = sound;
  }

  receive(bytes: Uint8Array, atMs: number): void {
    this.advance(atMs);
    for (const { message } of this.#parser.push(bytes, atMs)) this.#follower.push(message, atMs);
    const { rolling } = this.#follower.at(atMs);
    if (!rolling) this.#chase = null;
    else
      this.#chase ??= {
        runsFromMs: atMs + this.#between(this.#settings.lockMs),
        behindMs: this.#between(this.#settings.landsMs),
      };
  }

  /** Tape position in seconds of code, as on its display; null when stopped. */
  positionAt(ms: number): number | null {
    if (!this.#chase || ms < this.#chase.runsFromMs) return null;
    const { seconds, rolling } = this.#follower.at(ms);
    return rolling && seconds !== null ? seconds - this.#chase.behindMs / 1000 : null;
  }

  advance(toMs: number): void {
    const from = this.#stood;
    const fromMs = this.#nowMs ?? toMs;
    this.#nowMs = Math.max(fromMs, toMs);
    const to = this.positionAt(toMs);
    this.#stood = to;
    if (from === null || to === null || to <= from) return;
    const every = this.#settings.clickEverySeconds;
    for (let click = Math.ceil(from / every); click * every < to; click++)
      this.#sound(fromMs + ((click * every - from) / (to - from)) * (toMs - fromMs));
  }

  #between([least, most]: readonly [number, number]): number {
    return least + (most - least) * this.#random.uniform();
  }
}
