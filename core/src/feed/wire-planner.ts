import type { MidiMessage, TimedMessage } from '../midi/message';
import type { MeterMap } from '../tempo/meter-map';
import type { TempoMap } from '../tempo/tempo-map';
import { FeedPlanner, type StartOptions, type Winding } from './feed-planner';
import type { FeedSettings } from './feed-settings';

const NO_SYNC = { clock: false, transport: false, position: false, timecode: null };

interface Kind {
  readonly name: string;
  readonly settings: FeedSettings;
  readonly offsetOf: (settings: FeedSettings) => number;
  readonly planner: FeedPlanner;
}

/**
 * What leaves one wire, and when: one planner per kind of message, each with its own offset, merged in order of time.
 * `FeedPlanner` says what the calls mean.
 */
export class WirePlanner {
  #kinds: readonly Kind[];
  #meter: MeterMap | undefined;
  /** Kinds that are added later record as well. */
  #records = false;

  /** @throws RangeError if the timecode at beat 0 doesn't exist at the wire's frame rate. */
  constructor(map: TempoMap, settings: FeedSettings, meter?: MeterMap) {
    this.#meter = meter;
    this.#kinds = kindsOf(settings).map((kind) => ({ ...kind, planner: new FeedPlanner(map, kind.settings, meter) }));
  }

  /**
   * Applies other settings while playing, and returns what ends the kinds that aren't sent any more. Kinds that are new
   * get a planner on `map`, to be started by `join`.
   * @throws RangeError if the timecode at beat 0 doesn't exist at the wire's frame rate; nothing has changed then.
   */
  change(settings: FeedSettings, map: TempoMap, join: (planner: FeedPlanner) => void): MidiMessage[] {
    const before = new Map(this.#kinds.map((kind) => [kind.name, kind.planner]));
    const after = kindsOf(settings).map((kind) => {
      const planner = before.get(kind.name);
      return { ...kind, planner: planner ?? new FeedPlanner(map, kind.settings, this.#meter), isNew: !planner };
    });
    // Timecode comes first, as only its settings can be refused.
    for (const { planner, settings: changed } of after.toReversed()) planner.change(changed);
    const ended = this.#kinds.filter(({ name }) => after.every((kind) => kind.name !== name));
    this.#kinds = after.map(({ name, settings: changed, offsetOf, planner }) => ({
      name,
      settings: changed,
      offsetOf,
      planner,
    }));
    for (const { planner, isNew } of after) {
      if (!isNew) continue;
      planner.record(this.#records);
      join(planner);
    }
    return ended.flatMap(({ planner }) => planner.end());
  }

  /** Starts whoever joined the wire in mid-song. */
  invite(mayPlay?: boolean): void {
    for (const { planner } of this.#kinds) planner.invite(mayPlay);
  }

  start(gridMs: number, fromBeat: number, options?: StartOptions): void {
    for (const { planner } of this.#kinds) planner.start(gridMs, fromBeat, options);
  }

  stop(gridMs: number): void {
    this.#records = false;
    for (const { planner } of this.#kinds) planner.stop(gridMs);
  }

  locate(gridMs: number, beat: number, options?: { songMs?: number; startsFromThere?: boolean }): void {
    for (const { planner } of this.#kinds) planner.locate(gridMs, beat, options);
  }

  retime(map: TempoMap, gridMs: number, speed?: number): void {
    for (const { planner } of this.#kinds) planner.retime(map, gridMs, speed);
  }

  setMeter(meter: MeterMap): void {
    this.#meter = meter;
    for (const { planner } of this.#kinds) planner.setMeter(meter);
  }

  /** Applies the offsets of these settings; everything else stays. */
  setOffsets(settings: FeedSettings): void {
    for (const { planner, offsetOf } of this.#kinds) planner.setOffset(offsetOf(settings));
  }

  stand(songMs?: number): void {
    for (const { planner } of this.#kinds) planner.stand(songMs);
  }

  beginsAt(songMs: number): void {
    for (const { planner } of this.#kinds) planner.beginsAt(songMs);
  }

  record(on: boolean): void {
    this.#records = on;
    for (const { planner } of this.#kinds) planner.record(on);
  }

  wind(gridMs: number, direction: Winding | null): void {
    for (const { planner } of this.#kinds) planner.wind(gridMs, direction);
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

  /** What ends all notes that are on, and stops the follower if it was started, or always. */
  end(always?: boolean): MidiMessage[] {
    return this.#kinds.flatMap(({ planner }) => planner.end(always));
  }

  /** The note-offs of all notes that are on. */
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
function kindsOf(settings: FeedSettings): Omit<Kind, 'planner'>[] {
  const { sends, notes, triggers = [], patches = [] } = settings;
  const hasMmc = (sends.mmc ?? false) && !sends.timecode;
  const hasClock = sends.clock || sends.transport || sends.position || settings.clockWhileStopped;
  const kind = (name: string, change: Partial<FeedSettings>, offsetOf: Kind['offsetOf']) => ({
    name,
    settings: { ...bare(settings), ...change, offsetMs: offsetOf(settings) },
    offsetOf,
  });
  const clock = kind('clock', { sends: { ...sends, timecode: null, mmc: hasMmc } }, (now) => now.offsetMs);
  const timecode = kind(
    'timecode',
    { clockWhileStopped: false, sends: { ...sends, ...NO_SYNC, timecode: sends.timecode, mmc: sends.mmc ?? false } },
    (now) => now.timecodeOffsetMs ?? now.offsetMs,
  );
  const channels = new Set([
    ...(notes ? [notes.channel] : []),
    ...triggers.map((trigger) => trigger.sends.channel),
    ...patches.map(({ channel }) => channel),
  ]);
  const byChannel = [...channels].map((channel) =>
    kind(
      `channel ${channel}`,
      {
        sends: NO_SYNC,
        clockWhileStopped: false,
        ...(notes?.channel === channel && { notes }),
        triggers: triggers.filter((trigger) => trigger.sends.channel === channel),
        patches: patches.filter((patch) => patch.channel === channel),
      },
      (now) => now.noteOffsetsMs?.[channel] ?? now.offsetMs,
    ),
  );
  const kinds = [...(hasClock || hasMmc ? [clock] : []), ...byChannel, ...(sends.timecode ? [timecode] : [])];
  return kinds.length > 0 ? kinds : [clock];
}

function bare(settings: FeedSettings): FeedSettings {
  const rest: FeedSettings = { ...settings, triggers: [], patches: [] };
  delete rest.notes;
  delete rest.timecodeOffsetMs;
  delete rest.noteOffsetsMs;
  return rest;
}
