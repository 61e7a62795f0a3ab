import { encodeMmc } from '../midi/mmc';
import { SIXTEENTHS_PER_BEAT, type MidiMessage, type TimedMessage, TICKS_PER_SIXTEENTH } from '../midi/message';
import { MeterMap } from '../tempo/meter-map';
import { TempoMap } from '../tempo/tempo-map';
import { framesToPosition, songFrames } from '../timecode/code-position';
import { codeAtRate, framesToTimecode, timecodeToFrames } from '../timecode/timecode';
import { fullFrameMessage } from '../timecode/timecode-messages';
import { bpmAt, from, songMsAt, type Motion } from '../transport/motion';
import { ClockLane } from './clock-lane';
import { CodeLane } from './code-lane';
import { MAX_OFFSET_MS, type FeedSettings } from './feed-settings';
import { messageOf, TriggerLane } from './trigger-lane';

const { ceil, floor, max, min } = Math;

/**
 * Start or continue precede their first tick by this much: a receiver begins on the tick that follows, and MIDI 1.0
 * asks for at least 1 ms in between. Song position precedes them by the same again.
 */
export const START_LEAD_MS = 2;

const LAST_SONG_POSITION = 16_383;
/** How long a beat's or trigger's note is on. */
export const NOTE_LENGTH_MS = 50;
/** Computed positions may fall a rounding error before the intended sixteenth, or after the intended frame. */
const ROUNDING = 1e-6;
const CLOCK: MidiMessage = { kind: 'clock' };
const MIDNIGHT = { hours: 0, minutes: 0, seconds: 0, frames: 0 };
/** Beats of every time signature are multiples of this many ticks: a thirty-second. */
const TICKS_PER_SHORTEST_BEAT = 3;

/** How the grid starts, where it differs from the map at `fromBeat`. */
export interface StartOptions {
  /** A new tempo map. */
  map?: TempoMap;
  /** Song time at the start, ms. */
  songMs?: number;
  speed?: number;
  /**
   * The beat where the song begins; before it is count-in, with click, and with clock for followers that always get
   * clock.
   */
  countInTo?: number;
}

/** What a follower receives just before the tick it starts on. */
interface Greeting {
  readonly tick: number;
  /** In order, each with its lead before that tick. */
  readonly messages: { message: MidiMessage; leadMs: number }[];
}

/** An offset that moves from one value to another along the grid, or stays. */
interface Offset {
  readonly ms: number;
  readonly slope: number;
  readonly sinceGridMs: number;
  readonly untilGridMs: number;
  readonly thenMs: number;
}

/** How much an offset moves per ms of grid: ticks come at least 62% of their distance apart. */
const SLEW = 0.38;

function steady(ms: number): Offset {
  return { ms, slope: 0, sinceGridMs: -Infinity, untilGridMs: -Infinity, thenMs: ms };
}

function moving(ms: number, sinceGridMs: number, slope: number, thenMs: number): Offset {
  return slope === 0
    ? steady(thenMs)
    : { ms, slope, sinceGridMs, untilGridMs: sinceGridMs + (thenMs - ms) / slope, thenMs };
}

/** A one-time event at a point of the grid. */
interface Action {
  readonly gridMs: number;
  readonly run: () => MidiMessage[];
  readonly survivesStop: boolean;
}

/**
 * What one follower is sent, and when. The planner works in grid time and adds the feed's offset on output, so a window
 * of due times is a window of the grid shifted by the offset. Ticks and quarter frames are numbered, never accumulated:
 * each leaves exactly once, whatever the windows are.
 */
export class FeedPlanner {
  #map: TempoMap;
  #meter: MeterMap;
  readonly #settings: FeedSettings;
  readonly #clockRate: number;
  #offset: Offset;
  #clock: ClockLane | null = null;
  #code: CodeLane | null = null;
  #triggers: TriggerLane | null = null;
  #motion: Motion | null = null;
  #greet: Greeting | null = null;
  #started = false;
  readonly #actions: Action[] = [];
  #plannedGridMs = -Infinity;
  /** Most windows are empty: cached until something is added. */
  #nothingUntilGridMs = -Infinity;
  #lastDueMs = -Infinity;
  /** Notes that are on, by channel and number, and how often. */
  readonly #on = new Map<string, { channel: number; note: number; times: number }>();

  /** @throws RangeError if the timecode at beat 0 doesn't exist at the feed's frame rate. */
  constructor(map: TempoMap, settings: FeedSettings, meter = new MeterMap()) {
    if (settings.sends.timecode) timecodeToFrames(settings.timecodeStart ?? MIDNIGHT, settings.sends.timecode);
    this.#map = map;
    this.#meter = meter;
    this.#settings = settings;
    this.#clockRate = settings.clockRate ?? 1;
    this.#offset = steady(settings.offsetMs);
  }

  /**
   * The grid starts rolling at `gridMs` from `fromBeat`. The follower joins at the first beat it can be positioned on.
   */
  start(gridMs: number, fromBeat: number, options: StartOptions = {}): void {
    const { map = this.#map, songMs = map.msAt(fromBeat), speed = 1, countInTo = fromBeat } = options;
    this.#map = map;
    const motion = { map, speed, fromMs: gridMs, beat: fromBeat, songMs };
    const clock = new ClockLane(motion, this.#clockRate, true);
    const greeting = this.#greeting(clock, max(fromBeat, countInTo));
    // A clock that ran while stopped falls silent before the new grid begins, so that no two ticks come too close
    // together.
    const quietMs = max(clock.intervalMs / 2, 2 * START_LEAD_MS);
    this.#add(gridMs - quietMs, () => {
      this.#motion = motion;
      this.#clock = clock;
      const { sends, timecodeStart = MIDNIGHT } = this.#settings;
      this.#code = sends.timecode ? new CodeLane(motion, sends.timecode, timecodeStart) : null;
      const { triggers = [] } = this.#settings;
      this.#triggers = triggers.length > 0 ? new TriggerLane(motion, triggers, this.#meter) : null;
      this.#greet = greeting;
      return triggers.flatMap(({ atStart }) => (atStart ? [messageOf(atStart)] : []));
    });
    this.#started = true;
  }

  /** Stops the grid at `gridMs` and discards everything due later. */
  stop(gridMs: number): void {
    this.#dropActionsFrom(gridMs);
    this.#add(gridMs, () => {
      const { sends, clockWhileStopped } = this.#settings;
      const songMs = this.#motion ? songMsAt(this.#motion, gridMs) : null;
      this.#clock = clockWhileStopped ? this.#idleLane(gridMs) : null;
      this.#code = this.#motion = this.#greet = this.#triggers = null;
      const stop: MidiMessage[] = sends.transport ? [{ kind: 'stop' }] : [];
      if (sends.mmc) stop.push(encodeMmc({ kind: 'stop' }));
      for (const { atStop } of this.#settings.triggers ?? []) if (atStop) stop.push(messageOf(atStop));
      return songMs === null ? stop : [...stop, ...this.#fullFrame(songMs)];
    });
  }

  /**
   * Positions the stopped grid at a beat from `gridMs` on and tells every follower that can take it. `songMs` defaults
   * to the map's. With `startsFromThere`, song position goes out with the start instead.
   */
  locate(gridMs: number, beat: number, options: { songMs?: number; startsFromThere?: boolean } = {}): void {
    const { songMs = this.#map.msAt(beat), startsFromThere = false } = options;
    this.#add(gridMs, () => {
      const { sends, positionWhileStopped = true } = this.#settings;
      const sixteenths = ceil(beat * this.#clockRate * SIXTEENTHS_PER_BEAT - ROUNDING);
      const told: MidiMessage[] = [];
      if (
        sends.position &&
        positionWhileStopped &&
        !startsFromThere &&
        sixteenths >= 0 &&
        sixteenths <= LAST_SONG_POSITION
      )
        told.push({ kind: 'songPosition', sixteenths });
      if (sends.mmc) told.push(this.#mmcLocate(songMs));
      return [...told, ...this.#fullFrame(songMs)];
    });
  }

  /**
   * Applies another map, or another speed, from `gridMs` on. The position is kept; no tick or quarter frame is lost or
   * doubled, and timecode continues.
   */
  retime(map: TempoMap, gridMs: number, speed = 1): void {
    const run = (): MidiMessage[] => {
      this.#map = map;
      if (this.#motion) this.#motion = from(this.#motion, gridMs, { map, speed });
      if (this.#clock) this.#clock.retime(from(this.#clock.motion, gridMs, { map, speed }));
      if (this.#motion) this.#code?.retime(this.#motion);
      if (this.#motion) this.#triggers?.retime(this.#motion);
      return [];
    };
    this.#add(gridMs, run, { survivesStop: true });
  }

  /** Applies new time signatures: where bars begin for click, triggers and followers that join. */
  setMeter(meter: MeterMap): void {
    this.#meter = meter;
    this.#triggers?.setMeter(meter);
  }

  /**
   * While anything runs, the offset moves there so that no two ticks come closer than 60% of their distance: 200 ms take
   * half a second. Otherwise it applies at once.
   */
  setOffset(offsetMs: number): void {
    const sinceGridMs = this.#plannedGridMs;
    const ms = this.#offsetAt(sinceGridMs);
    const runs = this.#motion !== null || this.#clock !== null;
    if (!runs || sinceGridMs === -Infinity) this.#offset = steady(offsetMs);
    else if (offsetMs !== this.#offset.thenMs)
      this.#offset = moving(ms, sinceGridMs, Math.sign(offsetMs - ms) * SLEW, offsetMs);
  }

  /** The current offset, ms; nudging moves it. */
  get offsetMs(): number {
    return this.#offsetAt(this.#plannedGridMs);
  }

  /** The earlier of the current offset and the one it is moving to, ms. */
  get earliestOffsetMs(): number {
    return min(this.offsetMs, this.#offset.thenMs);
  }

  /** The later of the two, ms. */
  get latestOffsetMs(): number {
    return max(this.offsetMs, this.#offset.thenMs);
  }

  /**
   * Nudges this follower: it runs faster than the grid by this share (0.03 is 3%), or slower, until set to 0. The
   * offset keeps the accumulated shift, which ends at `MAX_OFFSET_MS`.
   */
  nudge(share: number): void {
    const sinceGridMs = this.#plannedGridMs;
    if (sinceGridMs === -Infinity) return;
    const slope = 1 / (1 + share) - 1;
    const ms = this.#offsetAt(sinceGridMs);
    const limit = max(Math.abs(ms), MAX_OFFSET_MS);
    this.#offset = slope === 0 ? steady(ms) : moving(ms, sinceGridMs, slope, Math.sign(slope) * limit);
  }

  /** Everything due from `fromMs` up to, not including, `toMs`. Windows must follow on from each other. */
  plan(fromMs: number, toMs: number): TimedMessage[] {
    if (!this.#started && !this.#clock && this.#settings.clockWhileStopped)
      this.#clock = this.#idleFrom(this.#gridOfDue(fromMs), 0);
    const out: TimedMessage[] = [];
    const untilGridMs = this.#gridOfDue(toMs);
    while (this.#nothingUntilGridMs < untilGridMs) {
      const action = this.#actions[0];
      const tickMs = this.#clock?.nextMs ?? Infinity;
      const codeMs = this.#code?.nextMs ?? Infinity;
      const triggerMs = this.#triggers?.nextMs ?? Infinity;
      const greetMs = this.#greet ? this.#greetMs() : Infinity;
      let nextMs = tickMs < codeMs ? tickMs : codeMs;
      if (triggerMs < nextMs) nextMs = triggerMs;
      if (greetMs < nextMs) nextMs = greetMs;
      if (action && action.gridMs < nextMs) nextMs = action.gridMs;
      this.#nothingUntilGridMs = nextMs;
      if (nextMs >= untilGridMs) break;
      if (action && action.gridMs <= nextMs) {
        this.#actions.shift();
        for (const message of action.run()) this.#emit(out, action.gridMs, message);
      } else if (this.#greet && greetMs <= nextMs) {
        const [told] = this.#greet.messages.splice(0, 1);
        if (told) this.#emit(out, greetMs, told.message);
      } else if (this.#clock && tickMs <= codeMs && tickMs <= triggerMs) this.#tick(out, this.#clock, tickMs);
      else if (this.#triggers && triggerMs <= codeMs) this.#trigger(out, this.#triggers, triggerMs);
      else if (this.#code) this.#emit(out, codeMs, this.#code.take());
    }
    this.#plannedGridMs = untilGridMs;
    return out;
  }

  #tick(out: TimedMessage[], clock: ClockLane, gridMs: number): void {
    const tick = clock.take();
    if (this.#settings.sends.clock && this.#hearsClock(tick)) this.#emit(out, gridMs, CLOCK);
    const { notes } = this.#settings;
    if (!notes || !clock.rolling || tick % TICKS_PER_SHORTEST_BEAT !== 0) return;
    const accent = this.#meter.accentAt(tick / clock.ticksPerBeat);
    if (!accent) return;
    const note = accent === 'bar' ? notes.barNote : notes.beatNote;
    this.#emit(out, gridMs, { kind: 'noteOn', channel: notes.channel, note, velocity: notes.velocity });
    this.#letGo(gridMs, notes.channel, note);
  }

  #trigger(out: TimedMessage[], triggers: TriggerLane, gridMs: number): void {
    for (const message of triggers.take()) {
      this.#emit(out, gridMs, message);
      if (message.kind === 'noteOn') this.#letGo(gridMs, message.channel, message.note);
    }
  }

  /** Sends the note-off even if the grid stops meanwhile, so that no note hangs. */
  #letGo(gridMs: number, channel: number, note: number): void {
    const key = `${channel} ${note}`;
    const held = this.#on.get(key) ?? { channel, note, times: 0 };
    held.times++;
    this.#on.set(key, held);
    const run = (): MidiMessage[] => {
      if (!this.#on.has(key)) return [];
      held.times--;
      if (held.times === 0) this.#on.delete(key);
      return [{ kind: 'noteOff', channel, note, velocity: 64 }];
    };
    this.#add(gridMs + NOTE_LENGTH_MS, run, { survivesStop: true });
  }

  /** The note-offs of all notes that are on. `plan` won't send them again. */
  releaseNotes(): MidiMessage[] {
    const offs = [...this.#on.values()].flatMap(({ channel, note, times }) =>
      Array.from({ length: times }, (): MidiMessage => ({ kind: 'noteOff', channel, note, velocity: 64 })),
    );
    this.#on.clear();
    return offs;
  }

  /** When the last message planned so far is due. */
  get lastDueMs(): number {
    return this.#lastDueMs;
  }

  /** Gear that plays on any clock gets none before its start. */
  #hearsClock(tick: number): boolean {
    return this.#settings.clockWhileStopped || !this.#greet || tick >= this.#greet.tick;
  }

  #greetMs(): number {
    const next = this.#greet?.messages[0];
    return this.#greet && next && this.#clock ? this.#clock.msOf(this.#greet.tick) - next.leadMs : Infinity;
  }

  /**
   * Song position can address any sixteenth. A follower without it can only start from the top, and does so on a bar.
   */
  #greeting(clock: ClockLane, beat: number): Greeting | null {
    const { transport, position, mmc } = this.#settings.sends;
    if (!transport && !mmc) return null;
    const tick = position ? clock.firstFrom(beat, TICKS_PER_SIXTEENTH) : clock.firstFrom(this.#meter.nextBar(beat), 1);
    const sixteenths = tick / TICKS_PER_SIXTEENTH;
    const messages: Greeting['messages'] = [];
    // Past the last addressable position a follower can only continue.
    if (transport && position && sixteenths <= LAST_SONG_POSITION)
      messages.push({ message: { kind: 'songPosition', sixteenths }, leadMs: 2 * START_LEAD_MS });
    if (transport)
      messages.push({ message: { kind: position && sixteenths > 0 ? 'continue' : 'start' }, leadMs: START_LEAD_MS });
    if (mmc) messages.push({ message: encodeMmc({ kind: 'play' }), leadMs: START_LEAD_MS });
    return { tick, messages };
  }

  #fullFrame(songMs: number): MidiMessage[] {
    const { sends, timecodeStart = MIDNIGHT } = this.#settings;
    if (!sends.timecode) return [];
    const frame = max(0, floor(songFrames(songMs, timecodeStart, sends.timecode) + ROUNDING));
    return [fullFrameMessage(framesToTimecode(frame, sends.timecode), sends.timecode)];
  }

  /** Machine control uses the feed's own timecode, or 30 fps if it sends none. */
  #mmcLocate(songMs: number): MidiMessage {
    const { sends, timecodeStart = MIDNIGHT } = this.#settings;
    const rate = sends.timecode ?? '30';
    const frames = max(0, songFrames(songMs, codeAtRate(timecodeStart, rate), rate));
    return encodeMmc({ kind: 'locate', position: framesToPosition(frames, rate) });
  }

  /** The idle clock continues in phase at its tempo. */
  #idleLane(gridMs: number): ClockLane {
    const clock = this.#clock;
    if (!clock) return this.#idleFrom(gridMs, 0);
    const beat = clock.next / clock.ticksPerBeat;
    const map = new TempoMap([{ beat: 0, bpm: bpmAt(clock.motion, beat) }]);
    return new ClockLane({ map, speed: 1, fromMs: clock.nextMs, beat, songMs: 0 }, this.#clockRate, false);
  }

  #idleFrom(gridMs: number, beat: number): ClockLane {
    return new ClockLane({ map: this.#map, speed: 1, fromMs: gridMs, beat, songMs: 0 }, this.#clockRate, false);
  }

  #offsetAt(gridMs: number): number {
    const { ms, slope, sinceGridMs, untilGridMs, thenMs } = this.#offset;
    if (gridMs >= untilGridMs) return thenMs;
    return gridMs <= sinceGridMs ? ms : ms + slope * (gridMs - sinceGridMs);
  }

  /** The point of the grid that is due at a time. */
  #gridOfDue(dueMs: number): number {
    const { ms, slope, sinceGridMs, untilGridMs, thenMs } = this.#offset;
    if (dueMs >= untilGridMs + thenMs) return dueMs - thenMs;
    return dueMs <= sinceGridMs + ms ? dueMs - ms : (dueMs - ms + slope * sinceGridMs) / (1 + slope);
  }

  #dropActionsFrom(gridMs: number): void {
    const kept = this.#actions.filter((action) => action.gridMs < gridMs || action.survivesStop);
    this.#actions.splice(0, this.#actions.length, ...kept);
  }

  #add(gridMs: number, run: () => MidiMessage[], { survivesStop = false } = {}): void {
    this.#nothingUntilGridMs = min(this.#nothingUntilGridMs, gridMs);
    const action = { gridMs, run, survivesStop };
    const at = this.#actions.findIndex((other) => other.gridMs > gridMs);
    this.#actions.splice(at < 0 ? this.#actions.length : at, 0, action);
  }

  #emit(out: TimedMessage[], gridMs: number, message: MidiMessage): void {
    const dueMs = gridMs + this.#offsetAt(gridMs);
    if (dueMs > this.#lastDueMs) this.#lastDueMs = dueMs;
    out.push({ atMs: this.#lastDueMs, message });
  }
}
