import type { MidiMessage, TimedMessage } from '../midi/message';
import type { MeterMap } from '../tempo/meter-map';
import type { TempoMap } from '../tempo/tempo-map';
import { FeedPlanner, type StartOptions } from './feed-planner';
import type { FeedSettings } from './feed-settings';

const NO_SYNC = { clock: false, transport: false, position: false, timecode: null };

/**
 * What leaves one wire, and when: one planner per kind of message, each with its own offset, merged in order of time.
 * `FeedPlanner` says what the calls mean.
 */
export class WirePlanner {
  readonly #kinds: readonly { planner: FeedPlanner; offsetOf: (settings: FeedSettings) => number }[];

  /** @throws RangeError if the timecode at beat 0 doesn't exist at the wire's frame rate. */
  constructor(map: TempoMap, settings: FeedSettings, meter?: MeterMap) {
    this.#kinds = kindsOf(settings).map(({ settings: kind, offsetOf }) => ({
      planner: new FeedPlanner(map, { ...kind, offsetMs: offsetOf(settings) }, meter),
      offsetOf,
    }));
  }

  start(gridMs: number, fromBeat: number, options?: StartOptions): void {
    for (const { planner } of this.#kinds) planner.start(gridMs, fromBeat, options);
  }

  stop(gridMs: number): void {
    for (const { planner } of this.#kinds) planner.stop(gridMs);
  }

  locate(gridMs: number, beat: number, options?: { songMs?: number; startsFromThere?: boolean }): void {
    for (const { planner } of this.#kinds) planner.locate(gridMs, beat, options);
  }

  retime(map: TempoMap, gridMs: number, speed?: number): void {
    for (const { planner } of this.#kinds) planner.retime(map, gridMs, speed);
  }

  setMeter(meter: MeterMap): void {
    for (const { planner } of this.#kinds) planner.setMeter(meter);
  }

  /** Applies the offsets of these settings; everything else stays. */
  setOffsets(settings: FeedSettings): void {
    for (const { planner, offsetOf } of this.#kinds) planner.setOffset(offsetOf(settings));
  }

  nudge(share: number): void {
    for (const { planner } of this.#kinds) planner.nudge(share);
  }

  /** The settings with the offsets as they are now; nudging moves them. */
  withOffsets(settings: FeedSettings): FeedSettings {
    const movedMs = this.offsetMs - (this.#kinds[0]?.offsetOf(settings) ?? 0);
    const { offsetMs, timecodeOffsetMs, noteOffsetsMs } = settings;
    return {
      ...settings,
      offsetMs: offsetMs + movedMs,
      ...(timecodeOffsetMs !== undefined && { timecodeOffsetMs: timecodeOffsetMs + movedMs }),
      ...(noteOffsetsMs && {
        noteOffsetsMs: Object.fromEntries(
          Object.entries(noteOffsetsMs).map(([channel, ms]) => [channel, ms + movedMs]),
        ),
      }),
    };
  }

  /** The current offset of clock, or of the only kind there is, ms. */
  get offsetMs(): number {
    return this.#kinds[0]?.planner.offsetMs ?? 0;
  }

  /** The earliest offset of any kind, ms. */
  get earliestOffsetMs(): number {
    return Math.min(...this.#kinds.map(({ planner }) => planner.earliestOffsetMs));
  }

  /** The latest offset of any kind, ms. */
  get latestOffsetMs(): number {
    return Math.max(...this.#kinds.map(({ planner }) => planner.latestOffsetMs));
  }

  /** When the last message planned so far is due. */
  get lastDueMs(): number {
    return Math.max(...this.#kinds.map(({ planner }) => planner.lastDueMs));
  }

  /** The note-offs of all notes that are on. They won't be sent again by `plan`. */
  releaseNotes(): MidiMessage[] {
    return this.#kinds.flatMap(({ planner }) => planner.releaseNotes());
  }

  plan(fromMs: number, toMs: number): TimedMessage[] {
    const [first, ...others] = this.#kinds.map(({ planner }) => planner.plan(fromMs, toMs));
    if (!first || others.every(({ length }) => length === 0)) return first ?? [];
    // A stable sort keeps each kind's own order.
    return [first, ...others].flat().sort((a, b) => a.atMs - b.atMs);
  }
}

/**
 * The settings of each kind of message on the wire. Which kinds there are doesn't depend on the offsets, so these can
 * change while playing.
 */
function kindsOf(settings: FeedSettings) {
  const { sends, notes, triggers = [] } = settings;
  const clock = {
    settings: { ...bare(settings), sends: { ...sends, timecode: null, mmc: (sends.mmc ?? false) && !sends.timecode } },
    offsetOf: (now: FeedSettings) => now.offsetMs,
  };
  const timecode = {
    settings: {
      ...bare(settings),
      clockWhileStopped: false,
      sends: { ...NO_SYNC, timecode: sends.timecode, mmc: sends.mmc ?? false },
    },
    offsetOf: (now: FeedSettings) => now.timecodeOffsetMs ?? now.offsetMs,
  };
  const channels = new Set([...(notes ? [notes.channel] : []), ...triggers.map((trigger) => trigger.sends.channel)]);
  const byChannel = [...channels].map((channel) => ({
    settings: {
      ...bare(settings),
      sends: NO_SYNC,
      clockWhileStopped: false,
      ...(notes?.channel === channel && { notes }),
      triggers: triggers.filter((trigger) => trigger.sends.channel === channel),
    },
    offsetOf: (now: FeedSettings) => now.noteOffsetsMs?.[channel] ?? now.offsetMs,
  }));
  const hasClock = sends.clock || sends.transport || sends.position || settings.clockWhileStopped;
  const hasMmc = (sends.mmc ?? false) && !sends.timecode;
  const kinds = [...(hasClock || hasMmc ? [clock] : []), ...(sends.timecode ? [timecode] : []), ...byChannel];
  return kinds.length > 0 ? kinds : [clock];
}

function bare(settings: FeedSettings): FeedSettings {
  const rest: FeedSettings = { ...settings, triggers: [] };
  delete rest.notes;
  return rest;
}
