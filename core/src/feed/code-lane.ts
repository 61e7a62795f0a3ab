import type { MidiMessage } from '../midi/message';
import { songFrames } from '../timecode/code-position';
import { FRAME_RATES, framesToTimecode, timecodeToFrames, type FrameRate, type Timecode } from '../timecode/timecode';
import { PIECES, quarterFrame, QUARTERS_PER_FRAME } from '../timecode/timecode-messages';
import { msOfSong, type Motion } from '../transport/motion';

const ROUNDING_QUARTERS = 1e-6;

/**
 * Where a follower's quarter frames fall on the grid: one every quarter of a frame of song time, from the first whole
 * code on. Song time before 00:00:00:00 has no code; the lane is silent until then.
 */
export class CodeLane {
  readonly #rate: FrameRate;
  readonly #startFrame: number;
  #motion: Motion;
  /** The code being sent; eight pieces spell it. */
  #code: Timecode;
  #next: number;
  #nextMs: number;

  constructor(motion: Motion, rate: FrameRate, start: Timecode) {
    this.#rate = rate;
    this.#startFrame = timecodeToFrames(start, rate);
    this.#motion = motion;
    this.#code = start;
    const quarter = songFrames(motion.songMs, start, rate) * QUARTERS_PER_FRAME;
    this.#next = Math.max(0, Math.ceil(quarter / PIECES - ROUNDING_QUARTERS)) * PIECES;
    this.#nextMs = this.#msOf(this.#next);
  }

  get nextMs(): number {
    return this.#nextMs;
  }

  take(): MidiMessage {
    const piece = this.#next % PIECES;
    if (piece === 0) this.#code = framesToTimecode(this.#next / QUARTERS_PER_FRAME, this.#rate);
    const message = quarterFrame(this.#code, this.#rate, piece);
    this.#next++;
    this.#nextMs = this.#msOf(this.#next);
    return message;
  }

  retime(motion: Motion): void {
    this.#motion = motion;
    this.#nextMs = this.#msOf(this.#next);
  }

  #msOf(quarter: number): number {
    const frames = quarter / QUARTERS_PER_FRAME - this.#startFrame;
    return msOfSong(this.#motion, (frames / FRAME_RATES[this.#rate].perSecond) * 1000);
  }
}
