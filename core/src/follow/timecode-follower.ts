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
import { LineWindow, type Line } from './line-window';
import type { FollowState } from './follow-state';

export interface TimecodeReading {
  state: FollowState;
  rate: FrameRate | null;
  /** Wall-clock seconds from 00:00:00:00, with a fraction; null until a position is known. */
  seconds: number | null;
  timecode: Timecode | null;
  rolling: boolean;
  /** 1 is as the frame rate says, negative is in reverse; 0 while it stands. */
  speed: number;
}

const FREEWHEEL_MS = 500;
/** So much is looked back at while it runs evenly. */
const WINDOW_QUARTERS = 480;
/** Timecode is taken to run as its rate says until the quarter frames say otherwise by so many standard deviations. */
const SPEED_DEVIATIONS = 3.5;
/** The last quarter frames, when they lie off the line of those before, are a new speed. */
const LOOK_QUARTERS = 12;
const TURN_DEVIATIONS = 5.5;
const FEWEST_BEFORE = 12;
const PRIOR_COUNT = 4;
const PRIOR_JITTER_MS = 1;
/** A pause of so many quarter frames is a silence. */
const SILENT_QUARTERS = 6;
/** A computed place may lie a rounding error before the frame that it means. */
const ROUNDING_FRAMES = 1e-6;

interface Arrival {
  readonly piece: number;
  readonly nibble: number;
  readonly ms: number;
}

/**
 * Reads incoming MIDI timecode: rate, place, direction and state. A code takes two frames to arrive and names the frame at
 * which it began; that lag is taken out. Once a code is known, every quarter frame has its own place, and a line through
 * the last ones gives the time between them, so that neither their jitter nor a lost one moves it.
 */
export class TimecodeFollower {
  readonly #freewheelMs: number;
  /** The last quarter frames that followed on from each other, in one direction. */
  #run: Arrival[] = [];
  #direction: 1 | -1 = 1;
  /** Quarter frames whose place is known, counted in quarters from 00:00:00:00, with their times. */
  readonly #points = new LineWindow(WINDOW_QUARTERS);
  #rate: FrameRate | null = null;
  /** Where it stands by a full frame, in frames. */
  #standing: number | null = null;
  #lastMs = -Infinity;
  #line: Line | null = null;
  /** Which quarters of the day piece 0 falls on: codes may be sent for even frames or for odd ones. */
  #phase = 0;

  /** `freewheelMs`: how long it runs on when nothing comes. */
  constructor({ freewheelMs = FREEWHEEL_MS }: { freewheelMs?: number } = {}) {
    this.#freewheelMs = freewheelMs;
  }

  push(message: MidiMessage, atMs: number): void {
    if (message.kind === 'quarterFrame') this.#quarterFrame({ piece: message.piece, nibble: message.nibble, ms: atMs });
    if (message.kind !== 'sysex') return;
    const position = readFullFrame(message.data);
    if (!position) return;
    this.#lose();
    this.#rate = position.rate;
    this.#standing = timecodeToFrames(position.timecode, position.rate);
    this.#lastMs = atMs;
  }

  at(nowMs: number): TimecodeReading {
    const state = this.#state(nowMs);
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
    const untilMs = state === 'lost' ? this.#lastMs + this.#freewheelMs : nowMs;
    const day = framesPerDay(rate);
    const frames = this.#line.where(untilMs) / QUARTERS_PER_FRAME;
    return ((frames % day) + day) % day;
  }

  #quarterFrame(arrival: Arrival): void {
    if (arrival.ms - this.#lastMs > this.#freewheelMs) this.#lose();
    this.#lastMs = arrival.ms;
    this.#lengthen(arrival);
    const read = this.#completeCode();
    const place = this.#expectedPlace(arrival);
    if (read && (place === null || read.quarter !== place || read.rate !== this.#rate)) this.#lock(read);
    else if (place !== null && this.#spells(arrival, place)) this.#add(place, arrival.ms);
  }

  #lose(): void {
    // What stood before it rolled holds no more, but where it was lost does.
    if (this.#line && this.#rate) this.#standing = this.#framesAt(this.#lastMs, 'locked', this.#rate);
    this.#run = [];
    this.#points.keepLast(0);
    this.#line = null;
  }

  /** The run goes on while pieces follow on from each other, up or down. */
  #lengthen(arrival: Arrival): void {
    const last = this.#run.at(-1);
    const step = last ? (arrival.piece - last.piece + PIECES) % PIECES : 0;
    const direction = step === 1 ? 1 : step === PIECES - 1 ? -1 : null;
    if (direction === null) this.#run = [];
    else if (direction !== this.#direction) this.#run = this.#run.slice(-1);
    if (direction !== null) this.#direction = direction;
    this.#run = [...this.#run.slice(1 - PIECES), arrival];
  }

  /** What the last eight pieces spell, if they are one code: from 0 to 7, or from 7 to 0 in reverse. */
  #completeCode(): { quarter: number; rate: FrameRate } | null {
    const last = this.#direction === 1 ? PIECES - 1 : 0;
    if (this.#run.length < PIECES || this.#run.at(-1)?.piece !== last) return null;
    const inOrder = this.#direction === 1 ? this.#run : this.#run.toReversed();
    const code = readQuarterFrames(inOrder.map(({ nibble }) => nibble));
    if (!code) return null;
    return { quarter: timecodeToFrames(code.timecode, code.rate) * QUARTERS_PER_FRAME + last, rate: code.rate };
  }

  /** A code is known: so is the place of each of its pieces. */
  #lock({ quarter, rate }: { quarter: number; rate: FrameRate }): void {
    const last = this.#run.length - 1;
    this.#rate = rate;
    this.#phase = (quarter - (this.#run[last]?.piece ?? 0) + PIECES) % PIECES;
    this.#points.keepLast(0);
    this.#run.forEach(({ ms }, i) => this.#points.push(quarter + this.#direction * (i - last), ms));
    this.#standing = null;
    this.#fit(rate);
  }

  /** The place of such a piece nearest to where the line is now; null when nothing is known. */
  #expectedPlace({ piece, ms }: Arrival): number | null {
    if (!this.#line) return null;
    const about = this.#line.where(ms);
    const offset = piece + this.#phase;
    return Math.round((about - offset) / PIECES) * PIECES + offset;
  }

  /** Whether the piece says what is sent at that place. */
  #spells({ nibble }: Arrival, quarter: number): boolean {
    return this.#rate !== null && quarterFrameNumber(quarter, this.#rate, this.#phase).nibble === nibble;
  }

  #add(quarter: number, ms: number): void {
    if (!this.#rate || this.#points.last?.x === quarter) return;
    this.#points.push(quarter, ms);
    if (this.#turned()) this.#points.keepLast(LOOK_QUARTERS);
    this.#fit(this.#rate);
  }

  #fit(rate: FrameRate): void {
    const line = this.#points.line();
    if (!line) return;
    const asTheRateSays = this.#direction * nominalMs(rate);
    const off = Math.abs(line.slope - asTheRateSays);
    const asExpected = off < SPEED_DEVIATIONS * jitterOf(line) * Math.sqrt(line.slopeVariance);
    this.#line = asExpected ? withSlope(line, asTheRateSays) : line;
  }

  #turned(): boolean {
    const line = this.#points.line(LOOK_QUARTERS);
    if (!line || line.count < FEWEST_BEFORE) return false;
    const { off, middle } = this.#points.offOf(line, LOOK_QUARTERS);
    return Math.abs(off) > TURN_DEVIATIONS * jitterOf(line) * Math.sqrt(1 / LOOK_QUARTERS + line.leverage(middle));
  }
}

function nominalMs(rate: FrameRate): number {
  return 1000 / (FRAME_RATES[rate].perSecond * QUARTERS_PER_FRAME);
}

/** The line through the middle of the points with a slope that is known. */
function withSlope(line: Line, slope: number): Line {
  const { middle } = line;
  const middleMs = line.at(middle);
  return {
    ...line,
    slope,
    at: (quarter) => middleMs + slope * (quarter - middle),
    where: (ms) => middle + (ms - middleMs) / slope,
  };
}

function jitterOf({ squares, count }: Line): number {
  return Math.sqrt((squares + PRIOR_COUNT * PRIOR_JITTER_MS ** 2) / (count - 2 + PRIOR_COUNT));
}
