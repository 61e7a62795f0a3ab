import type { MidiMessage } from '../midi/message';
import {
  FRAME_RATES,
  framesPerDay,
  framesToTimecode,
  timecodeToFrames,
  type FrameRate,
  type Timecode,
} from '../timecode/timecode';
import {
  PIECES,
  quarterFrameNumber,
  QUARTERS_PER_FRAME,
  readFullFrame,
  readQuarterFrames,
} from '../timecode/timecode-messages';
import { LineWindow, type FittedLine } from './line-window';
import type { FollowState } from './follow-state';

export interface TimecodeReading {
  state: FollowState;
  rate: FrameRate | null;
  /** Wall-clock seconds from 00:00:00:00, with a fraction; null until a position is known. */
  seconds: number | null;
  timecode: Timecode | null;
  rolling: boolean;
  /** 1 is the nominal rate, negative is reverse; 0 while stopped. */
  speed: number;
}

const FREEWHEEL_MS = 500;
/** Window in quarter frames while it runs steadily. */
const WINDOW_QUARTERS = 480;
/** Assume the nominal speed until the quarter frames deviate by this many standard deviations. */
const SPEED_DEVIATIONS = 3.5;
/** This many quarter frames off the line of those before are a new speed. */
const LOOK_QUARTERS = 12;
const TURN_DEVIATIONS = 5.5;
const MIN_BEFORE = 12;
const PRIOR_COUNT = 4;
const PRIOR_JITTER_MS = 1;
/** A gap of this many quarter frames is a silence. */
const SILENT_QUARTERS = 6;
/** Closer than this share of their distance, quarter frames come in a bunch, after a hold-up. */
const BUNCHED = 0.4;
/** The shortest distance there is, ms: at 30 fps. */
const SHORTEST_QUARTER_MS = 1000 / 30 / QUARTERS_PER_FRAME;
/** Farther from the line than this many standard deviations, and half a quarter frame, it was held up. */
const LATE_DEVIATIONS = 6;
/** So many of a code have to come at their own time. */
const MIN_TIMELY = 4;
/** So many in a row that come at their own time, but off the line, are a jump. */
const JUMP_QUARTERS = 8;
/** A computed position may fall a rounding error before the intended frame. */
const ROUNDING_FRAMES = 1e-6;

interface Arrival {
  readonly piece: number;
  readonly nibble: number;
  readonly ms: number;
  /** It came at its own time: not in a bunch with others that were held up. */
  timely: boolean;
}

/**
 * Follows incoming MIDI timecode: rate, position, direction and state. A code takes two frames to arrive and names the
 * frame at which it began; that lag is compensated. Once a code is known, every quarter frame has its position, and a
 * line through the recent ones gives the time in between, so that neither jitter nor a lost quarter frame moves it.
 */
export class TimecodeFollower {
  readonly #freewheelMs: number;
  /** Recent consecutive quarter frames, in one direction. */
  #run: Arrival[] = [];
  #direction: 1 | -1 = 1;
  /** Quarter frames with a known position, counted in quarters from 00:00:00:00, against their times. */
  readonly #points = new LineWindow(WINDOW_QUARTERS);
  #rate: FrameRate | null = null;
  /** The position of the last full frame, in frames. */
  #standing: number | null = null;
  #lastMs = -Infinity;
  /** Quarter frames in a row that came at their own time, but not where they were expected. */
  #offLine = 0;
  #line: FittedLine | null = null;
  /** Phase of piece 0 within the day: codes may be sent for even or for odd frames. */
  #phase = 0;

  /** `freewheelMs`: how long it continues without input. */
  constructor({ freewheelMs = FREEWHEEL_MS }: { freewheelMs?: number } = {}) {
    this.#freewheelMs = freewheelMs;
  }

  push(message: MidiMessage, atMs: number): void {
    if (message.kind === 'quarterFrame') this.#quarterFrame(message.piece, message.nibble, atMs);
    if (message.kind !== 'sysex') return;
    const position = readFullFrame(message.data);
    if (!position) return;
    this.#lose();
    this.#rate = position.rate;
    this.#standing = timecodeToFrames(position.timecode, position.rate);
    this.#lastMs = atMs;
  }

  /** `heardUntilMs`: what arrived later isn't known yet, because this machine stood still. */
  at(nowMs: number, heardUntilMs = nowMs): TimecodeReading {
    const state = this.#state(heardUntilMs);
    const rate = this.#rate;
    const frames = rate && this.#framesAt(nowMs, state, rate);
    const moves = this.#line !== null && state !== 'lost';
    return {
      state,
      rate,
      seconds: rate && frames !== null ? frames / FRAME_RATES[rate].perSecond : null,
      timecode: rate && frames !== null ? framesToTimecode(Math.floor(frames + ROUNDING_FRAMES), rate) : null,
      rolling: moves,
      speed: moves && rate && this.#line ? nominalMs(rate) / this.#line.slope : 0,
    };
  }

  #state(nowMs: number): FollowState {
    const silentMs = nowMs - this.#lastMs;
    if (this.#line && this.#rate) {
      if (silentMs <= SILENT_QUARTERS * nominalMs(this.#rate)) return 'locked';
      return silentMs > this.#freewheelMs ? 'lost' : 'freewheeling';
    }
    if (this.#run.length > 0 && silentMs <= this.#freewheelMs) return 'settling';
    return this.#standing === null ? 'silent' : 'locked';
  }

  #framesAt(nowMs: number, state: FollowState, rate: FrameRate): number | null {
    if (!this.#line) return this.#standing;
    // Where it was lost, it stopped; what runs backwards was being searched, and doesn't run on.
    const stops = state === 'lost' || (state === 'freewheeling' && this.#direction < 0);
    const untilMs = stops ? this.#lastMs : nowMs;
    const day = framesPerDay(rate);
    const frames = this.#line.where(untilMs) / QUARTERS_PER_FRAME;
    return ((frames % day) + day) % day;
  }

  #quarterFrame(piece: number, nibble: number, stampMs: number): void {
    if (!Number.isFinite(stampMs)) return;
    // Stamps may come out of order.
    const ms = Math.max(stampMs, this.#run.at(-1)?.ms ?? -Infinity);
    if (ms - this.#lastMs > this.#freewheelMs) this.#lose();
    const shortMs = BUNCHED * (this.#rate ? nominalMs(this.#rate) : SHORTEST_QUARTER_MS);
    const timely = ms - this.#lastMs >= shortMs;
    const before = this.#run.at(-1);
    // What comes first of a bunch was held up as well.
    if (before && !timely) before.timely = false;
    this.#lastMs = ms;
    const arrival = { piece, nibble, ms, timely };
    this.#lengthen(arrival);
    const read = this.#completeCode();
    const place = this.#expectedPlace(arrival);
    const agrees = place !== null && this.#spells(arrival, place);
    if (agrees && timely && this.#isOnLine(place, ms)) this.#add(place, ms);
    else if (timely) this.#offLine++;
    if (!read) return;
    const jumped =
      place === null || read.rate !== this.#rate || read.quarter !== place || this.#offLine >= JUMP_QUARTERS;
    if (jumped) this.#lock(read);
  }

  #isOnLine(place: number, ms: number): boolean {
    const line = this.#line;
    if (!line || !this.#rate) return true;
    const offMs = Math.abs(ms - line.at(place));
    return offMs < Math.max(nominalMs(this.#rate) / 2, LATE_DEVIATIONS * jitterOf(line));
  }

  #lose(): void {
    // Discard the last located position; freeze where sync was lost instead.
    if (this.#line && this.#rate) this.#standing = this.#framesAt(this.#lastMs, 'locked', this.#rate);
    this.#run = [];
    this.#points.keepLast(0);
    this.#line = null;
  }

  /** Extends the run while pieces are consecutive, up or down. */
  #lengthen(arrival: Arrival): void {
    const last = this.#run.at(-1);
    const step = last ? (arrival.piece - last.piece + PIECES) % PIECES : 0;
    const direction = step === 1 ? 1 : step === PIECES - 1 ? -1 : null;
    if (direction === null) this.#run = [];
    else if (direction !== this.#direction) this.#run = this.#run.slice(-1);
    if (direction !== null) this.#direction = direction;
    this.#run = [...this.#run.slice(1 - PIECES), arrival];
  }

  /** The code spelled by the last eight pieces, if complete: from 0 to 7, or from 7 to 0 in reverse. */
  #completeCode(): { quarter: number; rate: FrameRate } | null {
    const last = this.#direction === 1 ? PIECES - 1 : 0;
    if (this.#run.length < PIECES || this.#run.at(-1)?.piece !== last) return null;
    const inOrder = this.#direction === 1 ? this.#run : this.#run.toReversed();
    const code = readQuarterFrames(inOrder.map(({ nibble }) => nibble));
    if (!code) return null;
    return { quarter: timecodeToFrames(code.timecode, code.rate) * QUARTERS_PER_FRAME + last, rate: code.rate };
  }

  /** Once a code is known, so is the position of each of its pieces. */
  #lock({ quarter, rate }: { quarter: number; rate: FrameRate }): void {
    const last = this.#run.length - 1;
    // Held up, they say where it is, but not when it was there.
    if (this.#run.filter(({ timely }) => timely).length < MIN_TIMELY) return;
    this.#rate = rate;
    this.#offLine = 0;
    this.#phase = (quarter - (this.#run[last]?.piece ?? 0) + PIECES) % PIECES;
    this.#points.keepLast(0);
    this.#run.forEach(({ ms, timely }, i) => this.#points.push(quarter + this.#direction * (i - last), ms, timely));
    this.#standing = null;
    this.#fit(rate);
  }

  /** The position of such a piece that is closest to the line; null if nothing is known. */
  #expectedPlace({ piece, ms }: Arrival): number | null {
    if (!this.#line) return null;
    const about = this.#line.where(ms);
    const offset = piece + this.#phase;
    return Math.round((about - offset) / PIECES) * PIECES + offset;
  }

  /** Whether the piece matches what is sent at that position. */
  #spells({ nibble }: Arrival, quarter: number): boolean {
    return this.#rate !== null && quarterFrameNumber(quarter, this.#rate, this.#phase).nibble === nibble;
  }

  #add(quarter: number, ms: number): void {
    if (!this.#rate || this.#points.last?.x === quarter) return;
    this.#offLine = 0;
    this.#points.push(quarter, ms);
    if (this.#turned()) this.#points.keepLast(LOOK_QUARTERS);
    this.#fit(this.#rate);
  }

  #fit(rate: FrameRate): void {
    const line = this.#points.line();
    if (!line || !(line.slope * this.#direction > 0)) return;
    const asTheRateSays = this.#direction * nominalMs(rate);
    const off = Math.abs(line.slope - asTheRateSays);
    const asExpected = off < SPEED_DEVIATIONS * jitterOf(line) * Math.sqrt(line.slopeVariance);
    this.#line = asExpected ? withSlope(line, asTheRateSays) : line;
  }

  #turned(): boolean {
    const line = this.#points.line(LOOK_QUARTERS);
    if (!line || line.count < MIN_BEFORE) return false;
    const { off, middle } = this.#points.offOf(line, LOOK_QUARTERS);
    return Math.abs(off) > TURN_DEVIATIONS * jitterOf(line) * Math.sqrt(1 / LOOK_QUARTERS + line.leverage(middle));
  }
}

function nominalMs(rate: FrameRate): number {
  return 1000 / (FRAME_RATES[rate].perSecond * QUARTERS_PER_FRAME);
}

/** A line of known slope through the mean of the points. */
function withSlope(line: FittedLine, slope: number): FittedLine {
  const { middle } = line;
  const middleMs = line.at(middle);
  return {
    ...line,
    slope,
    at: (quarter) => middleMs + slope * (quarter - middle),
    where: (ms) => middle + (ms - middleMs) / slope,
  };
}

function jitterOf({ squares, count }: FittedLine): number {
  return Math.sqrt((squares + PRIOR_COUNT * PRIOR_JITTER_MS ** 2) / (count - 2 + PRIOR_COUNT));
}
