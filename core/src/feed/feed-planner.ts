import { encodeMmc } from '../midi/mmc';
import { SIXTEENTHS_PER_BEAT, type MidiMessage, type TimedMessage, TICKS_PER_SIXTEENTH } from '../midi/message';
import { MeterMap } from '../tempo/meter-map';
import { TempoMap } from '../tempo/tempo-map';
import { framesToPosition, songFrames } from '../timecode/code-position';
import { framesToTimecode, timecodeToFrames } from '../timecode/timecode';
import { fullFrameMessage } from '../timecode/timecode-messages';
import { bpmAt, from, songMsAt, type Motion } from '../transport/motion';
import { ClockLane } from './clock-lane';
import { CodeLane } from './code-lane';
import type { FeedSettings } from './feed-settings';
import { messageOf, TriggerLane } from './trigger-lane';

const { ceil, floor, max, min } = Math;

/**
 * How long before its first tick a start or continue is sent; a receiver begins on the tick that follows, and MIDI 1.0
 * asks for at least 1 ms between the two. The song position goes the same time again before that.
 */
export const START_LEAD_MS = 2;

const LAST_SONG_POSITION = 16_383;
const NOTE_LENGTH_MS = 50;
/** What was computed may lie a rounding error before the sixteenth, or after the frame, that it means. */
const ROUNDING = 1e-6;
const CLOCK: MidiMessage = { kind: 'clock' };
const MIDNIGHT = { hours: 0, minutes: 0, seconds: 0, frames: 0 };
/** Beats of any time signature fall on multiples of this many ticks: a thirty-second. */
const TICKS_PER_SHORTEST_BEAT = 3;

/** How the grid begins to roll, where it is not as the map says from `fromBeat` on. */
export interface StartOptions {
  /** Another tempo map from now on. */
  map?: TempoMap;
  /** Song time at the beginning, ms. */
  songMs?: number;
  speed?: number;
  /** The song begins here; what lies before is counted in: the click sounds, and a clock that always runs runs. */
  countInTo?: number;
}

/** What a follower is told just before the tick on which it is to begin. */
interface Greeting {
  readonly tick: number;
  /** In order; each so long before the tick. */
  readonly messages: { message: MidiMessage; leadMs: number }[];
}

/** Something that happens once at a point of the grid. */
interface Action {
  readonly gridMs: number;
  readonly run: () => MidiMessage[];
  readonly survivesStop: boolean;
}

/**
 * What one follower is sent, and when. The planner thinks in grid time; the feed's offset is added on the way out, so a
 * window of due times is a window of the grid moved by the offset. Ticks and quarter frames are counted, never
 * accumulated: each has one number and leaves exactly once, whatever the windows are.
 */
export class FeedPlanner {
  #map: TempoMap;
  #meter: MeterMap;
  readonly #settings: FeedSettings;
  readonly #clockRate: number;
  #offset: { ms: number; slope: number; sinceGridMs: number };
  #clock: ClockLane | null = null;
  #code: CodeLane | null = null;
  #triggers: TriggerLane | null = null;
  #motion: Motion | null = null;
  #greet: Greeting | null = null;
  #started = false;
  readonly #actions: Action[] = [];
  #plannedGridMs = -Infinity;
  /** Most windows hold nothing: known without looking again, until something is added. */
  #nothingUntilGridMs = -Infinity;
  #lastDueMs = -Infinity;

  /** @throws RangeError when the timecode at beat 0 does not exist at the feed's frame rate. */
  constructor(map: TempoMap, settings: FeedSettings, meter = new MeterMap()) {
    if (settings.sends.timecode) timecodeToFrames(settings.timecodeStart ?? MIDNIGHT, settings.sends.timecode);
    this.#map = map;
    this.#meter = meter;
    this.#settings = settings;
    this.#clockRate = settings.clockRate ?? 1;
    this.#offset = { ms: settings.offsetMs, slope: 0, sinceGridMs: 0 };
  }

  /** The grid stands at `fromBeat` at `gridMs` and rolls. The follower joins at the first beat that it can be told. */
  start(gridMs: number, fromBeat: number, options: StartOptions = {}): void {
    const { map = this.#map, songMs = map.msAt(fromBeat), speed = 1, countInTo = fromBeat } = options;
    this.#map = map;
    const motion = { map, speed, fromMs: gridMs, beat: fromBeat, songMs };
    const clock = new ClockLane(motion, this.#clockRate, true);
    const greeting = this.#greeting(clock, max(fromBeat, countInTo));
    // A clock that ran while stopped falls silent before the new grid begins, so that no two ticks come close together.
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

  /** The grid stops at `gridMs`; what was going to happen after that does not. */
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
   * The grid stands at a beat from `gridMs` on: whoever can be told, is. `songMs` is as the map says if not given. When it
   * `startsFromThere` at once, the start itself says the song position.
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
   * From `gridMs` on another map holds, or another speed. The position stays; no tick and no quarter frame is lost or
   * doubled, and timecode runs on where it was.
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

  /** Other time signatures from now on: where bars begin for the click, for triggers, and for those who join. */
  setMeter(meter: MeterMap): void {
    this.#meter = meter;
    this.#triggers?.setMeter(meter);
  }

  /** Takes effect on the next message; one that the new offset would put before the last goes out right after it. */
  setOffset(offsetMs: number): void {
    this.#offset = { ms: offsetMs, slope: 0, sinceGridMs: 0 };
  }

  /** What it is now, ms: nudging moves it. */
  get offsetMs(): number {
    return this.#offsetAt(this.#plannedGridMs);
  }

  /**
   * Leans on this follower as on a platter: it runs so much faster than the grid (0.03 is 3 percent), or slower, until
   * told otherwise; 0 lets go. The offset keeps what was moved.
   */
  nudge(share: number): void {
    const sinceGridMs = this.#plannedGridMs;
    if (sinceGridMs === -Infinity) return;
    this.#offset = { ms: this.#offsetAt(sinceGridMs), slope: 1 / (1 + share) - 1, sinceGridMs };
  }

  /** Everything due from `fromMs` up to, not including, `toMs`. Windows follow on from each other. */
  plan(fromMs: number, toMs: number): TimedMessage[] {
    if (!this.#started && !this.#clock && this.#settings.clockWhileStopped)
      this.#clock = this.#idleFrom(fromMs - this.#offset.ms, 0);
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

  /** A note that began is let go of, even if the grid stops meanwhile, or it would hang. */
  #letGo(gridMs: number, channel: number, note: number): void {
    this.#add(gridMs + NOTE_LENGTH_MS, () => [{ kind: 'noteOff', channel, note, velocity: 64 }], {
      survivesStop: true,
    });
  }

  /** Gear that takes any clock for play hears none before it is told to. */
  #hearsClock(tick: number): boolean {
    return this.#settings.clockWhileStopped || !this.#greet || tick >= this.#greet.tick;
  }

  #greetMs(): number {
    const next = this.#greet?.messages[0];
    return this.#greet && next && this.#clock ? this.#clock.msOf(this.#greet.tick) - next.leadMs : Infinity;
  }

  /** Song position can name any sixteenth; a follower without it can only begin, and does so on a bar. */
  #greeting(clock: ClockLane, beat: number): Greeting | null {
    const { transport, position, mmc } = this.#settings.sends;
    if (!transport && !mmc) return null;
    const tick = position ? clock.firstFrom(beat, TICKS_PER_SIXTEENTH) : clock.firstFrom(this.#meter.nextBar(beat), 1);
    const sixteenths = tick / TICKS_PER_SIXTEENTH;
    const messages: Greeting['messages'] = [];
    // Beyond the last position that can be named a follower only goes on.
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

  /** Machine control counts in the feed's own timecode, or at 30 frames a second when it sends none. */
  #mmcLocate(songMs: number): MidiMessage {
    const { sends, timecodeStart = MIDNIGHT } = this.#settings;
    const rate = sends.timecode ?? '30';
    const frames = max(0, songFrames(songMs, timecodeStart, rate));
    return encodeMmc({ kind: 'locate', position: framesToPosition(frames, rate) });
  }

  /** The clock goes on in step at the tempo it had. */
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
    const { ms, slope, sinceGridMs } = this.#offset;
    return slope === 0 ? ms : ms + slope * (gridMs - sinceGridMs);
  }

  /** The point of the grid that is due at a time. */
  #gridOfDue(dueMs: number): number {
    const { ms, slope, sinceGridMs } = this.#offset;
    return slope === 0 ? dueMs - ms : (dueMs - ms + slope * sinceGridMs) / (1 + slope);
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
