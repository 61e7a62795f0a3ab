import { FeedPlanner } from '../feed/feed-planner';
import type { FeedSettings } from '../feed/feed-settings';
import { encodeMidi } from '../midi/encode-midi';
import { TempoMap, type TempoPoint } from '../tempo/tempo-map';
import { seededRandom, type SeededRandom } from './random';
import type { SendBytes, Sound, StandIn } from './stand-in';

export interface TimeMasterSettings {
  tempo: readonly TempoPoint[];
  sends: FeedSettings['sends'];
  timecodeStart?: FeedSettings['timecodeStart'];
  clockWhileStopped?: boolean;
  /** Hidden: error of its crystal, ppm; plus is fast. */
  crystalPpm: number;
  /** Hidden: change of that error per hour as it warms up. */
  driftPpmPerHour?: number;
  /** Hidden: standard deviation of its send times, ms. */
  jitterMs: number;
  /** Hidden: delay of its own sound after its beat, from plugins, ms. */
  soundDelayMs?: number;
  seed: number;
}

const PRESS_MS = 20;
const CRYSTAL_EVERY_MS = 10_000;
const MS_PER_HOUR = 3_600_000;

/**
 * A simulated device or app that leads: sends clock, transport, position and timecode by its own crystal, and sounds on
 * its own beats, slightly late.
 */
export class TimeMaster implements StandIn {
  readonly #settings: TimeMasterSettings;
  readonly #planner: FeedPlanner;
  readonly #beats: FeedPlanner;
  readonly #random: SeededRandom;
  readonly #send: SendBytes;
  readonly #sound: Sound;
  #map: TempoMap;
  #nowMs: number | null = null;
  #firstMs = 0;
  #crystalMs = -Infinity;
  #sentMs = -Infinity;

  constructor(settings: TimeMasterSettings, send: SendBytes, sound: Sound = () => undefined) {
    const { tempo, sends, timecodeStart, clockWhileStopped = true } = settings;
    this.#settings = settings;
    this.#map = new TempoMap(tempo);
    const feed = { sends, offsetMs: 0, clockWhileStopped, ...(timecodeStart && { timecodeStart }) };
    this.#planner = new FeedPlanner(this.#map, feed);
    const silent = { clock: false, transport: false, position: false, timecode: null };
    const notes = { channel: 1, barNote: 60, beatNote: 60, velocity: 100 };
    this.#beats = new FeedPlanner(this.#map, { sends: silent, offsetMs: 0, clockWhileStopped: false, notes });
    this.#random = seededRandom(settings.seed);
    this.#send = send;
    this.#sound = sound;
  }

  /** Starts it from a beat; it rolls a moment later. */
  play(fromBeat = 0): void {
    for (const planner of [this.#planner, this.#beats])
      planner.start(this.#pressMs(), fromBeat, { speed: this.#speed() });
  }

  stop(): void {
    for (const planner of [this.#planner, this.#beats]) planner.stop(this.#pressMs());
  }

  locate(beat: number): void {
    this.#planner.locate(this.#pressMs(), beat);
  }

  turnTempo(bpm: number): void {
    this.#map = new TempoMap([{ beat: 0, bpm }]);
    this.#retime();
  }

  receive(): void {
    // Leads, and ignores incoming messages.
  }

  advance(toMs: number): void {
    const fromMs = this.#nowMs ?? toMs;
    if (this.#nowMs === null) this.#firstMs = toMs;
    this.#nowMs = toMs;
    if (toMs - this.#crystalMs > CRYSTAL_EVERY_MS) {
      this.#crystalMs = toMs;
      this.#retime();
    }
    const { jitterMs, soundDelayMs = 0 } = this.#settings;
    for (const { atMs, message } of this.#planner.plan(fromMs, toMs)) {
      this.#sentMs = Math.max(this.#sentMs, atMs + Math.abs(jitterMs * this.#random.normal()));
      this.#send(encodeMidi(message), this.#sentMs);
    }
    for (const { atMs, message } of this.#beats.plan(fromMs, toMs))
      if (message.kind === 'noteOn') this.#sound(atMs + soundDelayMs);
  }

  #pressMs(): number {
    return (this.#nowMs ?? 0) + PRESS_MS;
  }

  #retime(): void {
    for (const planner of [this.#planner, this.#beats]) planner.retime(this.#map, this.#pressMs(), this.#speed());
  }

  #speed(): number {
    const { crystalPpm, driftPpmPerHour = 0 } = this.#settings;
    const hours = ((this.#nowMs ?? 0) - this.#firstMs) / MS_PER_HOUR;
    return 1 + (crystalPpm + driftPpmPerHour * hours) / 1e6;
  }
}
