import { range } from 'd3-array';
import type { Wire } from '../rig/plan-wires';
import type { RigGear } from '../rig/rig';
import type { GridPosition } from '../transport/timeline';
import type { Heard, Receiver } from './receiver';

export interface Circumstances {
  gear: RigGear;
  wire: Wire;
  portId: string;
  atMs: number;
  receiver: Receiver;
  /** What timecode says at beat 0. */
  startSeconds: number;
  gridAt: (ms: number) => GridPosition;
  /** The hub plans this far ahead, ms, for the earliest of all offsets. */
  leadMs: () => number;
  /** The offset isn't moving. */
  offsetKnown: boolean;
  /** The song winds, or has just done so. */
  winds: boolean;
}

interface MachineStart {
  atMs: number;
  /** How far from the grid it starts, s; null if that says nothing. */
  offSeconds: number | null;
}

interface Settled {
  gear: RigGear;
  wire: Wire;
  receiver: Receiver;
  rolls: boolean;
  nowMs: number;
}

const TICKS_PER_BEAT = 24;
/** Eight quarter frames at 24 fps, and a start that lasts 40 ms. */
const ONE_CODE_MS = 130;
/** After this long without a code, gear has been left alone. */
const CODE_PAUSE_MS = 200;
/** A stopped song isn’t moved again sooner than this. */
const TURN_MS = 40;
const DAY_SECONDS = 86_400;
const MAX_NEXT_RATES = 3;
/** MIDI 1.0 asks for this between start and the first clock, ms (from memory). */
const MIN_START_MS = 1;
const SAME_TICK = 0.02;
/** Planning rounds by up to a millionth of a tick: 0.125 µs at 20 BPM. */
const ROUNDING_MS = 2e-4;
/** Song position comes this long before a start, at most. */
const JUST_BEFORE_MS = 20;
/** Play is said a little before the grid starts, ms. */
const PLAY_LEAD_MS = 3;

/** Compares what one device makes of its wire with the grid. */
export class Witness {
  /** Ticks of the grid, at the device's clock rate, when it counts 0; null until it is known. */
  #base: number | null = null;
  #rate = 1;
  /** The first tick since it was started. */
  #first: { played: number; beat: number } | null = null;
  /** Where it started to count, in beats. */
  #origin = 0;
  /** Rates that may apply soon, in order. */
  readonly #nextRates: number[] = [];
  #inPlace = false;
  /** When song position last came while it was stopped. */
  #positionedMs = -Infinity;
  /** It was started without a song position, so it counts from there. */
  #fromTop = true;
  #outOfTouch = false;
  /** The rate has changed while it couldn’t be watched, since it started. */
  #countUnknown = false;
  /** When the last code was complete, and since when code has come without a pause. */
  #codeMs = -Infinity;
  #codeSinceMs = -Infinity;
  /** The last start by machine control, until it is checked. */
  #machineStart: MachineStart | null = null;

  /** Its cable was moved, or dead for a while: it is out of place until it is started again. */
  interrupt(): void {
    this.#outOfTouch = true;
    this.#inPlace = false;
  }

  /** Another rate applies from some beat on; one that is changed again before may still apply for a while. */
  rateChanged(rate: number): void {
    this.#nextRates.push(rate);
    if (this.#nextRates.length > MAX_NEXT_RATES) this.#nextRates.shift();
    this.#countUnknown ||= this.#base === null;
  }

  check(heard: Heard, now: Circumstances): void {
    this.#checkMachine(heard, now);
    switch (heard.kind) {
      case 'start':
      case 'continue':
        if (!now.receiver.able.songPosition || !this.#inPlace) this.#forget();
        this.#outOfTouch = this.#countUnknown = false;
        this.#fromTop = now.atMs - this.#positionedMs > (heard.kind === 'start' ? JUST_BEFORE_MS : Infinity);
        return;
      case 'position':
        if (!heard.ignored) this.#positionedMs = now.atMs;
        return;
      case 'stop':
        this.#positionedMs = -Infinity;
        this.#inPlace = this.#outOfTouch = false;
        return;
      case 'tick':
        this.#checkTick(heard, now);
        return;
      case 'code':
        this.#checkCode(heard, now);
        return;
    }
  }

  /** A machine that is stopped or located again at once hasn't really started. */
  #checkMachine(heard: Heard, now: Circumstances): void {
    const before = this.#machineStart;
    if (before && now.atMs - before.atMs > PLAY_LEAD_MS) {
      this.#machineStart = null;
      const { offSeconds } = before;
      if (offSeconds !== null && !(Math.abs(offSeconds) < 0.02))
        throw new Error(`${now.gear.name}: the machine starts ${offSeconds} s off`);
    }
    if (heard.kind !== 'machine') return;
    this.#machineStart = heard.does === 'play' ? { atMs: now.atMs, offSeconds: machineOff(now) } : null;
  }

  #forget(): void {
    this.#base = this.#first = null;
    this.#inPlace = false;
  }

  #checkTick({ played, sinceStartMs }: Extract<Heard, { kind: 'tick' }>, now: Circumstances): void {
    const { gear, wire, atMs, gridAt, offsetKnown } = now;
    if (gear.syncsTo !== 'clock' || concerned(now)) return;
    if (sinceStartMs !== null && sinceStartMs < MIN_START_MS)
      throw new Error(`${gear.name}: first tick ${sinceStartMs} ms after the start`);
    if (!offsetKnown) return;
    // At the very moment of a start or stop, both sides count.
    const dueMs = atMs - wire.settings.offsetMs;
    const [before, after] = [gridAt(dueMs - ROUNDING_MS), gridAt(dueMs + ROUNDING_MS)];
    const { beat, state } = rolls(after) ? after : before;
    const stopped = state === 'stopped' || state === 'starting';
    if (stopped && ((played !== null && !this.#outOfTouch) || !wire.settings.clockWhileStopped))
      throw new Error(
        `${gear.name}: a tick at ${atMs} while the grid is ${state}${played === null ? '' : ', and it plays'}`,
      );
    if (stopped || played === null || this.#outOfTouch) return;
    this.#checkPlace(played, beat, now);
  }

  #checkPlace(played: number, beat: number, { gear, atMs }: Circumstances): void {
    const inTicks = (rate: number) => beat * TICKS_PER_BEAT * rate;
    if (this.#base === null) {
      const before = this.#first;
      this.#first = { played, beat };
      if (!before) return;
      // Two ticks tell at which rate it is sent clock.
      this.#rate = 2 ** Math.round(Math.log2((played - before.played) / (beat - before.beat) / TICKS_PER_BEAT));
      this.#base = this.#fromTop || this.#countUnknown ? Math.round(inTicks(this.#rate)) - played : 0;
      this.#origin = this.#base / TICKS_PER_BEAT / this.#rate;
    }
    const fits = (rate: number, base: number) => Math.abs(inTicks(rate) - base - played) < SAME_TICK;
    if (fits(this.#rate, this.#base)) {
      this.#inPlace = true;
      return;
    }
    for (const [i, next] of this.#nextRates.entries()) {
      const changed = inTicks(next) - played;
      const fromOrigin = changed - this.#origin * TICKS_PER_BEAT * next;
      const off = Math.abs(fromOrigin - Math.round(fromOrigin / TICKS_PER_BEAT) * TICKS_PER_BEAT);
      if (!this.#countUnknown && off >= SAME_TICK) continue;
      this.#nextRates.splice(0, i + 1);
      this.#rate = next;
      this.#base = changed;
      return;
    }
    const base = this.#base;
    throw new Error(
      `${gear.name}: tick ${played} at ${atMs}, where the grid is at tick ${(inTicks(this.#rate) - base).toFixed(3)}`,
    );
  }

  #checkCode({ firstPieceMs, seconds, rate }: Extract<Heard, { kind: 'code' }>, now: Circumstances): void {
    if (firstPieceMs - this.#codeMs > CODE_PAUSE_MS) this.#codeSinceMs = firstPieceMs;
    this.#codeMs = now.atMs;
    const { gear, wire, startSeconds, gridAt, leadMs, offsetKnown, winds } = now;
    if (gear.syncsTo !== 'timecode' || concerned(now) || !offsetKnown || winds || rate !== gear.rate) return;
    const offsetMs = wire.settings.timecodeOffsetMs ?? 0;
    const rolling = gridAt(firstPieceMs - offsetMs + ROUNDING_MS);
    // A standing code is on its way for some time, and the song may be moved meanwhile, or just before or, after its end,
    // just after: gear that is ahead then is where the song will stand, and so is gear that is heard again when the stop
    // is planned already, even if the song is moved once more right after it.
    const aheadMs = Math.max(leadMs(), -offsetMs);
    // Late gear that has just joined receives the song’s position at once, and stays there until its own start.
    const hasJoined = firstPieceMs - this.#codeSinceMs < offsetMs;
    const joinedMs = hasJoined ? [this.#codeSinceMs - firstPieceMs] : [];
    const standing =
      wire.settings.standingCode === 'quarterFrames'
        ? [
            ...[-ONE_CODE_MS, 0, now.atMs - firstPieceMs, aheadMs + ONE_CODE_MS, ...joinedMs].map((ms) =>
              gridAt(firstPieceMs + ms),
            ),
            ...range(0, aheadMs + TURN_MS, TURN_MS / 2)
              .map((ms) => gridAt(firstPieceMs + ms))
              .filter((then) => !rolls(then)),
          ]
        : [];
    const offs = [rolling, ...standing].map(({ songMs }) => {
      const off = seconds - startSeconds - songMs / 1000;
      return off - DAY_SECONDS * Math.round(off / DAY_SECONDS);
    });
    if (offs.every((off) => Math.abs(off) > 1 / 24))
      throw new Error(
        `${gear.name}: the code says ${seconds - startSeconds} s, the song is at ${rolling.songMs / 1000} s`,
      );
  }

  /** Two bars after the last command. */
  checkSettled({ gear, wire, receiver, rolls, nowMs }: Settled): void {
    if (wire.conflicts.some(({ gearIds }) => gearIds.includes(gear.id))) return;
    const hearsTicks = nowMs - receiver.lastTickMs < 300;
    const { clock, transport, timecode, mmc = false } = wire.settings.sends;
    const must = (is: boolean, should: boolean, what: string) => {
      if (is !== should)
        throw new Error(`${gear.name} ${is ? '' : 'not '}${what}, and the grid ${rolls ? 'rolls' : 'stands'}`);
    };
    if (gear.syncsTo === 'clock' && clock) {
      must(hearsTicks, rolls || wire.settings.clockWhileStopped, 'hears ticks');
      if (transport && gear.able.startStop) must(receiver.playing, rolls, 'plays');
      if (transport && gear.able.startStop && rolls) must(this.#inPlace, true, 'in place');
    }
    if (gear.syncsTo === 'timecode' && timecode)
      must(nowMs - receiver.lastCodeMs < 400, rolls || wire.settings.standingCode === 'quarterFrames', 'hears code');
    if (gear.mmc && mmc) must(receiver.machinePlays, rolls, 'plays by machine control');
    if (!rolls && receiver.notesOn > 0) throw new Error(`${gear.name} holds ${receiver.notesOn} notes`);
  }
}

function rolls({ state }: GridPosition): boolean {
  return state === 'rolling' || state === 'countingIn';
}

function concerned({ gear, wire }: Circumstances): boolean {
  return wire.conflicts.some(({ gearIds }) => gearIds.includes(gear.id));
}

/** A machine plays from where it was located: that has to be where the grid is. Seconds, null if it can't be said. */
function machineOff({ gear, wire, atMs, receiver, startSeconds, gridAt, offsetKnown }: Circumstances): number | null {
  if (!gear.mmc || !offsetKnown) return null;
  const { sends, offsetMs, timecodeOffsetMs } = wire.settings;
  // Without timecode the hub counts from 00:00:00:00.
  const start = sends.timecode ? startSeconds : 0;
  const dueMs = atMs + PLAY_LEAD_MS;
  const { songMs } = gridAt(dueMs - (sends.timecode ? (timecodeOffsetMs ?? offsetMs) : offsetMs));
  // A tempo change during the count-in can put the start of the song before the first code.
  return (receiver.machineSeconds ?? NaN) - Math.max(0, start + songMs / 1000);
}
