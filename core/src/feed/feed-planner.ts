import { encodeMmc } from '../midi/mmc';
import { SIXTEENTHS_PER_BEAT, type MidiMessage, type TimedMessage, TICKS_PER_SIXTEENTH } from '../midi/message';
import { MeterMap } from '../tempo/meter-map';
import { TempoMap } from '../tempo/tempo-map';
import { framesToPosition, songFrames } from '../timecode/code-position';
import { codeAtRate, framesToTimecode, timecodeToFrames, type Timecode } from '../timecode/timecode';
import { fullFrameMessage } from '../timecode/timecode-messages';
import { beatAt, bpmAt, from, msOfBeat, withTempo, songMsAt, type Motion } from '../transport/motion';
import { ClockLane } from './clock-lane';
import { CodeLane } from './code-lane';
import { MAX_OFFSET_MS, type BeatTrigger, type FeedSettings, type Patch } from './feed-settings';
import { PatchLane, patchesAt, patchMessages } from './patch-lane';
import { StandingLane } from './standing-lane';
import { edgeMessages, notesOf, TriggerLane } from './trigger-lane';

const { ceil, floor, max, min } = Math;

/**
 * Start or continue precede their first tick by this much: a receiver begins on the tick that follows, and MIDI 1.0
 * asks for at least 1 ms in between. Song position precedes them by the same again.
 */
export const START_LEAD_MS = 2;
const MIN_START_MS = 1;

export const LAST_SONG_POSITION = 16_383;
/** How long a beat's or trigger's note is on. */
export const NOTE_LENGTH_MS = 50;
/** Computed positions may fall a rounding error before the intended sixteenth, or after the intended frame. */
const ROUNDING = 1e-6;
const CLOCK: MidiMessage = { kind: 'clock' };
const STOP: MidiMessage = { kind: 'stop' };
const MIDNIGHT = { hours: 0, minutes: 0, seconds: 0, frames: 0 };
/** Machine control locates in hundredths of a frame. */
const SAME_PLACE_MS = 0.5;
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
  /** Stop the follower first: one that still plays ignores song position. */
  stopFirst?: boolean;
}

/** What a follower receives just before the tick on a beat, and how long before. */
interface Greeting {
  readonly beat: number;
  readonly message: MidiMessage;
  readonly leadMs: number;
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

/** Directions in which machines wind. */
export type Winding = 'fastForward' | 'rewind';

/**
 * What one follower is sent, and when. The planner works in grid time and adds the feed's offset on output, so a window
 * of due times is a window of the grid shifted by the offset. Ticks and quarter frames are numbered, never accumulated:
 * each leaves exactly once, whatever the windows are.
 */
export class FeedPlanner {
  #map: TempoMap;
  #meter: MeterMap;
  #settings: FeedSettings;
  /** The settings once all changes asked for have been applied. */
  #wanted: FeedSettings;
  #offset: Offset;
  #clock: ClockLane | null = null;
  #code: CodeLane | null = null;
  #standing: StandingLane | null = null;
  /** Where the code stands while it does, ms of song time. */
  #standsAtMs = 0;
  #triggers: TriggerLane | null = null;
  #patches: PatchLane | null = null;
  #motion: Motion | null = null;
  /** What is still to be said before the follower runs, in order. */
  #greetings: Greeting[] = [];
  /** The follower starts here; gear that plays on any clock gets none before. */
  #firstBeat = -Infinity;
  /** Gear that takes no song position has counted from here. */
  #countsFrom = 0;
  /** The song begins here, after the count-in. */
  #startBeat = -Infinity;
  #startSaidMs = -Infinity;
  /** A start or continue was sent, and no stop since. */
  #follows = false;
  /** Machine control was sent play, and no stop since. */
  #machinePlays = false;
  /** The next start of the machine records, or this one does. */
  #records = false;
  #winds = false;
  /** Where machine control was sent, ms of song time; null if it has moved since. */
  #machineAtMs: number | null = null;
  #started = false;
  readonly #actions: Action[] = [];
  #plannedGridMs = -Infinity;
  /** When the last start, stop or locate asked for takes place. */
  #lastTurnGridMs = -Infinity;
  /** Most windows are empty: cached until something is added. */
  #nothingUntilGridMs = -Infinity;
  #lastDueMs = -Infinity;
  /** Notes that are on, by channel and number, and how often. */
  readonly #on = new Map<string, { channel: number; note: number; times: number }>();

  /** @throws RangeError if the timecode at beat 0 doesn't exist at the feed's frame rate. */
  constructor(map: TempoMap, settings: FeedSettings, meter = new MeterMap()) {
    checkStart(settings);
    this.#map = map;
    this.#meter = meter;
    this.#settings = this.#wanted = settings;
    this.#offset = steady(settings.offsetMs);
  }

  /**
   * The grid starts rolling at `gridMs` from `fromBeat`. The follower joins at the first beat it can be positioned on.
   */
  start(gridMs: number, fromBeat: number, options: StartOptions = {}): void {
    const {
      map = this.#map,
      songMs = map.msAt(fromBeat),
      speed = 1,
      countInTo = fromBeat,
      stopFirst = false,
    } = options;
    this.#map = map;
    const motion = { map, speed, fromMs: gridMs, beat: fromBeat, songMs };
    // A clock that ran while stopped falls silent before the new grid begins, so that no two ticks come too close
    // together.
    const quietMs = max(new ClockLane(motion, this.#clockRate, true).intervalMs / 2, 2 * START_LEAD_MS);
    // Nothing that was asked for before may come after it.
    this.#add(min(gridMs, max(gridMs - quietMs, this.#lastTurnGridMs)), () => {
      const { sends, timecodeStart = MIDNIGHT, triggers = [], patches = [] } = this.#settings;
      this.#motion = motion;
      this.#winds = false;
      this.#clock = new ClockLane(motion, this.#clockRate, true);
      this.#code = sends.timecode ? new CodeLane(motion, sends.timecode, timecodeStart) : null;
      this.#triggers = triggers.length > 0 ? new TriggerLane(motion, triggers, this.#meter) : null;
      this.#startBeat = max(fromBeat, countInTo);
      this.#standing = null;
      this.#patches = patches.length > 0 ? new PatchLane(motion, patches, this.#startBeat) : null;
      const located = this.#greet(this.#clock, motion, this.#startBeat);
      this.#firstBeat = this.#greetings.at(-1)?.beat ?? -Infinity;
      const stop = stopFirst && sends.transport ? [STOP] : [];
      return [
        ...stop,
        ...located,
        ...this.#patchesAt(this.#startBeat),
        ...triggers.flatMap((trigger) => edgeMessages(trigger, 'atStart')),
      ];
    });
    this.#started = true;
    this.#lastTurnGridMs = gridMs;
  }

  /** Stops the grid at `gridMs` and discards everything due later. */
  stop(gridMs: number): void {
    this.#dropActionsFrom(gridMs);
    this.#lastTurnGridMs = gridMs;
    this.#add(gridMs, () => {
      const motion = this.#motion;
      // Stopped just before it would have begun, it is still where it stood.
      const begun = motion && gridMs >= motion.fromMs;
      const stoppedMs = motion && (begun ? songMsAt(motion, gridMs) : this.#standsAtMs);
      const { afterStop = 'stay' } = this.#settings;
      this.#clock = this.#settings.clockWhileStopped ? this.#idleLane(gridMs) : null;
      this.#motion = this.#triggers = this.#patches = null;
      if (afterStop !== 'runOn') this.#code = null;
      const out = this.#stopMessages();
      if (stoppedMs === null || afterStop === 'runOn') return out;
      if (afterStop === 'toStart') out.push(...this.#locateMachine(0));
      return [...out, ...this.#stand(afterStop === 'toStart' ? 0 : stoppedMs, gridMs)];
    });
  }

  /** Switches the recording of machines on or off that may record: at once if they play, else with the next start. */
  record(on: boolean): void {
    const gridMs = max(this.#plannedGridMs, -Number.MAX_VALUE);
    this.#add(gridMs, () => {
      const changed = this.#records !== on;
      this.#records = on;
      if (!changed || !this.#machinePlays || !this.#settings.sends.record) return [];
      return [encodeMmc({ kind: on ? 'recordStrobe' : 'recordExit' })];
    });
  }

  /**
   * Machines wind by themselves for as long as the stopped grid does, and are located where it ends: `null`, before the
   * grid is placed there.
   */
  wind(gridMs: number, direction: Winding | null): void {
    this.#add(gridMs, () => {
      this.#winds = direction !== null;
      this.#machineAtMs = null;
      return direction && this.#settings.sends.mmc ? [encodeMmc({ kind: direction })] : [];
    });
  }

  /** The stopped grid is at this song time, or where it was: its code is sent where it is wanted again and again. */
  stand(songMs = this.#standsAtMs): void {
    this.#standsAtMs = songMs;
    this.#add(max(this.#plannedGridMs, -Number.MAX_VALUE), () => this.#standAgain());
  }

  /** It stands where it will begin, should anything ask before; nothing is sent. */
  beginsAt(songMs: number): void {
    this.#standsAtMs = songMs;
  }

  #standAgain(): MidiMessage[] {
    const { standingCode = 'once' } = this.#settings;
    const fromMs = max(this.#plannedGridMs, this.#gridOfDue(this.#lastDueMs));
    return this.#motion || standingCode === 'once' ? [] : this.#stand(this.#standsAtMs, fromMs);
  }

  /** Says where the code stands, once or for as long as it does. */
  #stand(songMs: number, gridMs: number): MidiMessage[] {
    const { sends, standingCode = 'once' } = this.#settings;
    this.#standsAtMs = songMs;
    const code = this.#codeAt(songMs);
    this.#standing = null;
    if (!code || !sends.timecode) return [];
    if (standingCode !== 'once') this.#standing = new StandingLane(code, sends.timecode, standingCode, gridMs);
    return [fullFrameMessage(code, sends.timecode)];
  }

  #stopMessages(): MidiMessage[] {
    const { sends, triggers = [] } = this.#settings;
    this.#greetings = [];
    this.#follows = this.#machinePlays = this.#records = false;
    this.#machineAtMs = null;
    return [...stops(sends), ...triggers.flatMap((trigger) => edgeMessages(trigger, 'atStop'))];
  }

  /**
   * Positions the stopped grid at a beat from `gridMs` on and tells every follower that can take it. `songMs` defaults
   * to the map's. With `startsFromThere`, song position goes out with the start instead.
   */
  locate(gridMs: number, beat: number, options: { songMs?: number; startsFromThere?: boolean } = {}): void {
    const { songMs = this.#map.msAt(beat), startsFromThere = false } = options;
    this.#lastTurnGridMs = gridMs;
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
      this.#code = null;
      return [...told, ...this.#patchesAt(beat), ...this.#locateMachine(songMs), ...this.#stand(songMs, gridMs)];
    });
  }

  /**
   * Applies another map, or another speed, from `gridMs` on. The position is kept; no tick or quarter frame is lost or
   * doubled, and timecode continues.
   */
  retime(map: TempoMap, gridMs: number, speed = 1): void {
    const run = (): MidiMessage[] => {
      // Asked for before a start that is already prepared, and has a map of its own.
      if (this.#motion && this.#motion.fromMs > gridMs) return [];
      this.#map = map;
      if (this.#clock) this.#clock.retime(from(this.#clock.motion, gridMs, { map, speed }));
      if (this.#motion) {
        const before = this.#motion;
        this.#motion = withTempo(before, gridMs, { map, speed }, this.#startBeat);
        this.#retimeCode(Math.abs(this.#motion.songMs - songMsAt(before, gridMs)) > SAME_PLACE_MS);
        this.#triggers?.retime(this.#motion);
        this.#patches?.retime(this.#motion);
      }
      return this.#locateWaitingMachine();
    };
    this.#add(gridMs, run, { survivesStop: true });
  }

  /**
   * Applies other settings while playing: nothing is stopped that still should play. Another clock rate applies from the
   * first beat where the follower's own beats stay on the beat.
   * @throws RangeError if the timecode at beat 0 doesn't exist at the frame rate; nothing has changed then.
   */
  change(settings: FeedSettings): void {
    checkStart(settings);
    this.setOffset(settings.offsetMs);
    if (!differ(this.#wanted, settings)) return;
    this.#wanted = settings;
    if (this.#plannedGridMs === -Infinity) this.#settings = settings;
    else this.#add(this.#plannedGridMs, () => this.#apply(settings), { survivesStop: true });
  }

  #apply(settings: FeedSettings): MidiMessage[] {
    const before = this.#settings;
    const gridMs = this.#plannedGridMs;
    this.#settings = settings;
    // Told to stop, it may have given up going to where it was sent; not told anything, it may have been moved by hand.
    if (codeDiffers(before, settings) || before.sends.mmc !== settings.sends.mmc) this.#machineAtMs = null;
    if (this.#motion && this.#clock) return this.#applyRolling(before, settings, gridMs, this.#motion, this.#clock);
    if (!settings.clockWhileStopped) this.#clock = null;
    else if (!this.#clock || before.clockRate !== settings.clockRate)
      this.#clock = this.#idleFrom(this.#clock?.nextMs ?? gridMs, 0);
    const stands = standsDiffer(before, settings);
    if (stands) this.#standing = null;
    // What can be stopped only now may have been started by others.
    const { transport, mmc } = settings.sends;
    const stopped = stops({ transport: transport && !before.sends.transport, mmc: mmc && !before.sends.mmc });
    return stands ? [...stopped, ...this.#standAgain()] : stopped;
  }

  #applyRolling(
    before: FeedSettings,
    settings: FeedSettings,
    gridMs: number,
    motion: Motion,
    clock: ClockLane,
  ): MidiMessage[] {
    const { sends, timecodeStart = MIDNIGHT, triggers = [], patches = [] } = settings;
    const now = from(motion, max(gridMs, motion.fromMs));
    const out: MidiMessage[] = [];
    if (differ(before.triggers ?? [], triggers)) {
      this.#triggers = triggers.length > 0 ? new TriggerLane(now, triggers, this.#meter) : null;
      out.push(...resets(before.triggers, triggers, 'atStop'), ...resets(triggers, before.triggers, 'atStart'));
    }
    if (differ(before.patches ?? [], patches)) {
      const fromBeat = max(now.beat, this.#startBeat);
      this.#patches = patches.length > 0 ? new PatchLane(now, patches, fromBeat) : null;
      out.push(...this.#changedPatches(before.patches ?? [], fromBeat));
    }
    if (codeDiffers(before, settings))
      this.#code = sends.timecode ? new CodeLane(now, sends.timecode, timecodeStart) : null;
    if (this.#follows && !sends.transport) {
      this.#follows = false;
      out.push(STOP);
    }
    if (this.#records && this.#machinePlays && before.sends.record !== sends.record)
      out.push(encodeMmc({ kind: sends.record ? 'recordStrobe' : 'recordExit' }));
    if (this.#machinePlays && !sends.mmc) {
      this.#machinePlays = false;
      out.push(encodeMmc({ kind: 'stop' }));
    }
    const waits = this.#greetings.length > 0;
    const changesRate = before.clockRate !== settings.clockRate;
    if (changesRate) {
      if (waits) this.#clock = new ClockLane(now, this.#clockRate, true);
      else clock.changeRate(this.#clockRate, now.beat, sends.transport && !sends.position ? this.#countsFrom : 0);
    }
    const gains = (['clock', 'transport', 'mmc'] as const).some((kind) => sends[kind] && !before.sends[kind]);
    // Someone who has just joined the wire may still be playing, and is stopped first.
    const joins = this.#greetings.some(({ message }) => message === STOP);
    if (waits && !joins && (differ(before.sends, sends) || changesRate)) out.push(...this.#greetAgain(gridMs));
    // No one may play on at a rate that their count doesn't fit.
    else if (gains || joins) out.push(...this.#greetNow(gridMs, changesRate));
    if (sends.clock && !before.sends.clock) this.#firstBeat = this.#greetings.at(-1)?.beat ?? -Infinity;
    return out;
  }

  /**
   * Someone joined the wire, and may be playing still, unless nothing has played yet. While stopped, all are sent a
   * stop. In mid-song, all are stopped, positioned and started just before the next sixteenth; those that start only
   * from the top start again on the next bar.
   */
  invite(mayPlay = true): void {
    this.#add(this.#plannedGridMs, () => {
      if (this.#motion) return this.#greetNow(this.#plannedGridMs);
      this.#machineAtMs = null;
      return mayPlay ? stops(this.#settings.sends) : [];
    });
  }

  /** `stopsAtOnce`: what still plays is not left playing until the next sixteenth. */
  #greetNow(gridMs: number, stopsAtOnce = false): MidiMessage[] {
    const { transport, position } = this.#settings.sends;
    // Whoever joined isn't there yet.
    this.#machineAtMs = null;
    const located = this.#greetAgain(gridMs);
    const [first] = this.#greetings;
    if (!transport || !first) return located;
    if (!position || stopsAtOnce) return [STOP, ...located];
    this.#greetings.unshift({ beat: first.beat, message: STOP, leadMs: 3 * START_LEAD_MS });
    this.#sortGreetings();
    return located;
  }

  #greetAgain(gridMs: number): MidiMessage[] {
    if (!this.#motion || !this.#clock) return [];
    const soonest = beatAt(this.#motion, max(gridMs + 3 * START_LEAD_MS, this.#motion.fromMs));
    const located = this.#greet(this.#clock, this.#motion, max(this.#startBeat, soonest));
    if (this.#firstBeat > soonest) this.#firstBeat = this.#greetings.at(-1)?.beat ?? -Infinity;
    return located;
  }

  /** In the count-in, a tempo change moves the code too: it is spelled anew. */
  #retimeCode(jumps: boolean): void {
    const { sends, timecodeStart = MIDNIGHT } = this.#settings;
    if (!this.#motion || !sends.timecode) return;
    if (jumps) this.#code = new CodeLane(this.#motion, sends.timecode, timecodeStart);
    else this.#code?.retime(this.#motion);
  }

  /** Applies new time signatures: where bars begin for click, triggers and followers that join. */
  setMeter(meter: MeterMap): void {
    this.#meter = meter;
    this.#triggers?.setMeter(meter);
  }

  /**
   * While anything runs or is about to, the offset moves there so that no two ticks come closer than 60% of their
   * distance: 200 ms take half a second. Otherwise it applies at once.
   */
  setOffset(offsetMs: number): void {
    const sinceGridMs = this.#plannedGridMs;
    const ms = this.#offsetAt(sinceGridMs);
    const runs = this.#motion !== null || this.#clock !== null || this.#actions.length > 0;
    if (!runs || sinceGridMs === -Infinity) {
      const plannedMs = sinceGridMs + ms;
      this.#offset = steady(offsetMs);
      this.#plannedGridMs = plannedMs - offsetMs;
    } else if (offsetMs !== this.#offset.thenMs)
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
    // What should have been said before a planner existed is said at once.
    this.#lastDueMs = max(this.#lastDueMs, fromMs);
    const untilGridMs = this.#gridOfDue(toMs);
    while (this.#nothingUntilGridMs < untilGridMs) {
      const action = this.#actions[0];
      const tickMs = this.#clock?.nextMs ?? Infinity;
      const codeMs = this.#code?.nextMs ?? Infinity;
      const triggerMs = this.#triggers?.nextMs ?? Infinity;
      const patchMs = this.#patches?.nextMs ?? Infinity;
      const standMs = this.#standing?.nextMs ?? Infinity;
      const greetMs = this.#greetings.length > 0 ? this.#greetMs() : Infinity;
      let nextMs = tickMs < codeMs ? tickMs : codeMs;
      if (triggerMs < nextMs) nextMs = triggerMs;
      if (greetMs < nextMs) nextMs = greetMs;
      if (patchMs < nextMs) nextMs = patchMs;
      if (standMs < nextMs) nextMs = standMs;
      if (action && action.gridMs < nextMs) nextMs = action.gridMs;
      this.#nothingUntilGridMs = nextMs;
      if (nextMs >= untilGridMs) break;
      if (action && action.gridMs <= nextMs) {
        this.#actions.shift();
        for (const message of action.run()) this.#emitStruck(out, action.gridMs, message);
      } else if (greetMs <= nextMs) {
        const [greeting] = this.#greetings.splice(0, 1);
        if (greeting) this.#say(out, greetMs, greeting.message);
      } else if (this.#standing && standMs <= nextMs) this.#emit(out, standMs, this.#standing.take());
      else if (this.#patches && patchMs <= nextMs)
        for (const message of this.#patches.take()) this.#emit(out, patchMs, message);
      else if (this.#clock && tickMs <= codeMs && tickMs <= triggerMs) this.#tick(out, this.#clock, tickMs);
      else if (this.#triggers && triggerMs <= codeMs) this.#trigger(out, this.#triggers, triggerMs);
      else if (this.#code) this.#emit(out, codeMs, this.#code.take());
    }
    this.#plannedGridMs = untilGridMs;
    return out;
  }

  #tick(out: TimedMessage[], clock: ClockLane, gridMs: number): void {
    const { ticksPerBeat } = clock;
    const tick = clock.take();
    const beat = tick / ticksPerBeat;
    // A tempo change in between may bring the tick too close to the start.
    if (this.#settings.sends.clock && this.#hearsClock(beat))
      this.#emit(out, gridMs, CLOCK, this.#startSaidMs + MIN_START_MS);
    const { notes } = this.#settings;
    if (!notes || !clock.rolling || tick % TICKS_PER_SHORTEST_BEAT !== 0) return;
    const accent = this.#meter.accentAt(beat);
    if (!accent) return;
    const note = accent === 'bar' ? notes.barNote : notes.beatNote;
    this.#emit(out, gridMs, { kind: 'noteOn', channel: notes.channel, note, velocity: notes.velocity });
    this.#letGo(gridMs, notes.channel, note);
  }

  #trigger(out: TimedMessage[], triggers: TriggerLane, gridMs: number): void {
    for (const message of triggers.take()) this.#emitStruck(out, gridMs, message);
  }

  /** A note that is struck is let go of. */
  #emitStruck(out: TimedMessage[], gridMs: number, message: MidiMessage): void {
    this.#emit(out, gridMs, message);
    if (message.kind === 'noteOn') this.#letGo(gridMs, message.channel, message.note);
  }

  #patchesAt(beat: number): MidiMessage[] {
    return patchesAt(this.#settings.patches ?? [], beat).flatMap(patchMessages);
  }

  /** Those in force now that weren't before. */
  #changedPatches(before: readonly Patch[], beat: number): MidiMessage[] {
    const sounds = patchesAt(before, beat).map((patch) => textOf(patchMessages(patch)));
    return patchesAt(this.#settings.patches ?? [], beat)
      .map(patchMessages)
      .filter((messages) => !sounds.includes(textOf(messages)))
      .flat();
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

  /**
   * What ends all notes that are on, and stops the follower if it was started; `always`, even if it wasn't started here,
   * and with every note that it may have been left on.
   */
  end(always = false): MidiMessage[] {
    const left = always ? this.#playableNotes() : [];
    const stop = this.#motion || always ? this.#stopMessages() : [];
    return [...this.releaseNotes(), ...left, ...stop.flatMap(letGoAtOnce)];
  }

  /** A note-off for each note of its settings that isn't on here; two triggers may have struck the same one. */
  #playableNotes(): MidiMessage[] {
    const { notes, triggers = [] } = this.#settings;
    const played = [
      ...(notes ? [notes.barNote, notes.beatNote].map((note) => ({ channel: notes.channel, note })) : []),
      ...triggers.flatMap(notesOf),
    ].filter(({ channel, note }) => !this.#on.has(`${channel} ${note}`));
    return played.map(({ channel, note }) => ({ kind: 'noteOff', channel, note, velocity: 64 }));
  }

  /** When the last message planned so far is due. */
  get lastDueMs(): number {
    return this.#lastDueMs;
  }

  /** Gear that plays on any clock gets none before its start. */
  #hearsClock(beat: number): boolean {
    return this.#settings.clockWhileStopped || beat >= this.#firstBeat - ROUNDING;
  }

  #greetMs(): number {
    const [next] = this.#greetings;
    return next && this.#motion ? msOfBeat(this.#motion, next.beat) - next.leadMs : Infinity;
  }

  #say(out: TimedMessage[], gridMs: number, message: MidiMessage): void {
    if (message.kind === 'start' || message.kind === 'continue') {
      this.#follows = true;
      this.#startSaidMs = max(this.#lastDueMs, gridMs + this.#offsetAt(gridMs));
    }
    if (message.kind === 'stop') this.#follows = false;
    if (message.kind === 'sysex') {
      this.#machinePlays = true;
      this.#machineAtMs = null;
    }
    this.#emit(out, gridMs, message);
    if (message.kind === 'sysex' && this.#records && this.#settings.sends.record)
      this.#emit(out, gridMs, encodeMmc({ kind: 'recordStrobe' }));
  }

  /**
   * Prepares what the follower receives before it starts at a beat. Song position can address any sixteenth. A follower
   * without it can only start from the top, and does so on a bar. Machine control plays from the first tick on; returned
   * is the message that sends it there.
   */
  #greet(clock: ClockLane, motion: Motion, beat: number): MidiMessage[] {
    const { transport, position, mmc } = this.#settings.sends;
    this.#greetings = [];
    const greet = (beat: number, message: MidiMessage, leadMs: number) =>
      this.#greetings.push({ beat, message, leadMs });
    const first = clock.firstFrom(beat, 1);
    if (mmc) greet(first.beat, encodeMmc({ kind: 'play' }), START_LEAD_MS);
    if (transport) {
      const start = position
        ? clock.firstFrom(beat, TICKS_PER_SIXTEENTH)
        : clock.firstFrom(this.#meter.nextBar(beat), 1);
      this.#countsFrom = start.beat;
      const sixteenths = start.tick / TICKS_PER_SIXTEENTH;
      // Past the last addressable position a follower can only continue.
      if (position && sixteenths <= LAST_SONG_POSITION)
        greet(start.beat, { kind: 'songPosition', sixteenths }, 2 * START_LEAD_MS);
      greet(start.beat, { kind: position && sixteenths > 0 ? 'continue' : 'start' }, START_LEAD_MS);
    }
    this.#sortGreetings();
    return mmc ? this.#locateMachine(songMsAt(motion, msOfBeat(motion, first.beat))) : [];
  }

  #codeAt(songMs: number): Timecode | null {
    const { sends, timecodeStart = MIDNIGHT } = this.#settings;
    if (!sends.timecode) return null;
    const frame = max(0, floor(songFrames(songMs, timecodeStart, sends.timecode) + ROUNDING));
    return framesToTimecode(frame, sends.timecode);
  }

  /** Machine control uses the feed's own timecode, or 30 fps if it sends none. */
  #mmcLocate(songMs: number): MidiMessage {
    const { sends, timecodeStart = MIDNIGHT } = this.#settings;
    const rate = sends.timecode ?? '30';
    const frames = max(0, songFrames(songMs, codeAtRate(timecodeStart, rate), rate));
    return encodeMmc({ kind: 'locate', position: framesToPosition(frames, rate) });
  }

  #sortGreetings(): void {
    const motion = this.#motion;
    if (!motion) return;
    const saidAt = ({ beat, leadMs }: Greeting) => msOfBeat(motion, beat) - leadMs;
    this.#greetings.sort((a, b) => saidAt(a) - saidAt(b));
  }

  /** Nothing if it is there already. */
  #locateMachine(songMs: number): MidiMessage[] {
    const there = this.#machineAtMs !== null && Math.abs(this.#machineAtMs - songMs) < SAME_PLACE_MS;
    if (!this.#settings.sends.mmc || there || this.#winds) return [];
    this.#machineAtMs = songMs;
    return [this.#mmcLocate(songMs)];
  }

  /** A tempo change while it waits moves the place where it starts. */
  #locateWaitingMachine(): MidiMessage[] {
    const play = this.#greetings.find(({ message }) => message.kind === 'sysex');
    if (!play || !this.#motion) return [];
    return this.#locateMachine(songMsAt(this.#motion, msOfBeat(this.#motion, play.beat)));
  }

  get #clockRate(): number {
    return this.#settings.clockRate ?? 1;
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

  #emit(out: TimedMessage[], gridMs: number, message: MidiMessage, notBeforeMs = -Infinity): void {
    const dueMs = max(gridMs + this.#offsetAt(gridMs), notBeforeMs);
    if (dueMs > this.#lastDueMs) this.#lastDueMs = dueMs;
    out.push({ atMs: this.#lastDueMs, message });
  }
}

/** @throws RangeError if the timecode at beat 0 doesn't exist at the frame rate. */
function checkStart({ sends, timecodeStart = MIDNIGHT }: FeedSettings): void {
  if (sends.timecode) timecodeToFrames(timecodeStart, sends.timecode);
}

function stops({ transport, mmc = false, pause = false }: Partial<FeedSettings['sends']>): MidiMessage[] {
  return [...(transport ? [STOP] : []), ...(mmc ? [encodeMmc({ kind: pause ? 'pause' : 'stop' })] : [])];
}

function standsDiffer(a: FeedSettings, b: FeedSettings): boolean {
  return codeDiffers(a, b) || a.standingCode !== b.standingCode;
}

function codeDiffers(a: FeedSettings, b: FeedSettings): boolean {
  const codeOf = ({ sends, timecodeStart = MIDNIGHT }: FeedSettings) => [sends.timecode, timecodeStart];
  return differ(codeOf(a), codeOf(b));
}

/** Nothing follows that could let go of a note later. */
function letGoAtOnce(message: MidiMessage): MidiMessage[] {
  return message.kind === 'noteOn' ? [message, { ...message, kind: 'noteOff', velocity: 64 }] : [message];
}

function textOf(value: unknown): string {
  return JSON.stringify(value);
}

function differ(a: unknown, b: unknown): boolean {
  return textOf(a) !== textOf(b);
}

/** What triggers send at their start or stop, of those that the others lack. */
function resets(
  triggers: readonly BeatTrigger[] = [],
  others: readonly BeatTrigger[] = [],
  when: 'atStart' | 'atStop',
): MidiMessage[] {
  const said = new Set(others.flatMap((other) => edgeMessages(other, when)).map(textOf));
  return triggers.flatMap((trigger) => edgeMessages(trigger, when)).filter((message) => !said.has(textOf(message)));
}
