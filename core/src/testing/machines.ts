import {
  codeAtRate,
  framesToTimecode,
  FRAME_RATES,
  timecodeToFrames,
  type FrameRate,
  type Timecode,
} from '../timecode/timecode';
import { quarterFrame } from '../timecode/timecode-messages';
import { encodeMidi } from '../midi/encode-midi';

export interface Sent {
  bytes: Uint8Array;
  atMs: number;
}

/** A device that leads, with its true position. */
export interface Machine {
  readonly language: 'clock' | 'timecode';
  readonly rate: FrameRate;
  readonly rolling: boolean;
  /** It has rolled, or stood, without a change since then. */
  readonly steadySinceMs: number;
  /** Quarter notes for clock, ms of song time for timecode. */
  positionAt(ms: number): number;
  /** Ticks of its clock, started or not, from an unknown place; 0 without a clock. */
  ticksAt(ms: number): number;
  play(nowMs: number): void;
  stop(nowMs: number): void;
  /** BPM for clock, speed for timecode. */
  setSpeed(value: number, nowMs: number): void;
  /** Everything it sends up to, not including, a time. */
  emit(untilMs: number): Sent[];
}

const TICKS_PER_BEAT = 24;
const TICKS_PER_SIXTEENTH = 6;

/** Sends MIDI clock at all times: 24 ticks a quarter note, and a start or continue at least 1 ms before the first one. */
export class ClockMachine implements Machine {
  readonly language = 'clock';
  readonly rate = '25';
  rolling = false;
  steadySinceMs = 0;
  #everyMs: number;
  #tickMs = 0;
  /** Number of the next tick in the song. */
  #tick = 0;
  #out: Sent[] = [];

  constructor(bpm: number) {
    this.#everyMs = 60_000 / bpm / TICKS_PER_BEAT;
  }

  positionAt(ms: number): number {
    return (this.#tick + (this.rolling ? (ms - this.#tickMs) / this.#everyMs : 0)) / TICKS_PER_BEAT;
  }

  ticksAt(ms: number): number {
    return (ms - this.#tickMs) / this.#everyMs;
  }

  play(nowMs: number): void {
    if (this.rolling) return;
    this.rolling = true;
    this.steadySinceMs = nowMs;
    this.#tick = Math.ceil(this.#tick / TICKS_PER_SIXTEENTH) * TICKS_PER_SIXTEENTH;
    if (this.#tick > 0) this.#send(nowMs, [0xf2, (this.#tick / 6) & 127, (this.#tick / 6) >> 7]);
    this.#send(nowMs, [this.#tick > 0 ? 0xfb : 0xfa]);
    if (this.#tickMs < nowMs + 1) this.#tickMs = nowMs + 1;
  }

  stop(nowMs: number): void {
    if (!this.rolling) return;
    this.rolling = false;
    this.steadySinceMs = nowMs;
    this.#send(nowMs, [0xfc]);
  }

  setSpeed(bpm: number, nowMs: number): void {
    this.#everyMs = 60_000 / bpm / TICKS_PER_BEAT;
    this.steadySinceMs = nowMs;
  }

  emit(untilMs: number): Sent[] {
    for (; this.#tickMs < untilMs; this.#tickMs += this.#everyMs) {
      this.#send(this.#tickMs, [0xf8]);
      if (this.rolling) this.#tick++;
    }
    return this.#out.splice(0);
  }

  #send(atMs: number, bytes: number[]): void {
    this.#out.push({ bytes: Uint8Array.from(bytes), atMs });
  }
}

/** Sends MIDI timecode while it rolls, a quarter frame at a time. */
export class CodeMachine implements Machine {
  readonly language = 'timecode';
  rolling = false;
  steadySinceMs = 0;
  readonly rate: FrameRate;
  readonly #quarterMs: number;
  #speed = 1;
  #quarter: number;
  #nextMs = 0;

  /** It starts from `start`. */
  constructor(rate: FrameRate, start: Timecode) {
    this.rate = rate;
    this.#quarter = 4 * timecodeToFrames(codeAtRate(start, rate), rate);
    this.#quarterMs = 250 / FRAME_RATES[rate].perSecond;
  }

  positionAt(ms: number): number {
    const ahead = this.rolling ? ((ms - this.#nextMs) * this.#speed) / this.#quarterMs : 0;
    return (this.#quarter + ahead) * this.#quarterMs;
  }

  ticksAt(): number {
    return 0;
  }

  play(nowMs: number): void {
    if (this.rolling) return;
    this.rolling = true;
    this.steadySinceMs = nowMs;
    this.#quarter = Math.ceil(this.#quarter / 8) * 8;
    this.#nextMs = nowMs;
  }

  stop(nowMs: number): void {
    this.rolling = false;
    this.steadySinceMs = nowMs;
  }

  setSpeed(speed: number, nowMs: number): void {
    this.#speed = speed;
    this.steadySinceMs = nowMs;
  }

  emit(untilMs: number): Sent[] {
    const out: Sent[] = [];
    while (this.rolling && this.#nextMs < untilMs) {
      const piece = this.#quarter % 8;
      const code = framesToTimecode((this.#quarter - piece) / 4, this.rate);
      out.push({ bytes: encodeMidi(quarterFrame(code, this.rate, piece)), atMs: this.#nextMs });
      this.#quarter++;
      this.#nextMs += this.#quarterMs / this.#speed;
    }
    return out;
  }
}
