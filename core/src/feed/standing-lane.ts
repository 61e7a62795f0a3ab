import type { MidiMessage } from '../midi/message';
import { FRAME_RATES, type FrameRate, type Timecode } from '../timecode/timecode';
import { fullFrameMessage, PIECES, quarterFrame, QUARTERS_PER_FRAME } from '../timecode/timecode-messages';
import type { StandingCode } from './feed-settings';

/** Often enough for gear that is switched on while the code stands. */
const FULL_FRAME_MS = 500;

/** A code that stands, sent again and again. */
export class StandingLane {
  readonly #code: Timecode;
  readonly #rate: FrameRate;
  readonly #how: StandingCode;
  readonly #fromMs: number;
  #next = 0;

  constructor(code: Timecode, rate: FrameRate, how: StandingCode, fromMs: number) {
    this.#code = code;
    this.#rate = rate;
    this.#how = how;
    this.#fromMs = fromMs;
  }

  get nextMs(): number {
    const quarterMs = 1000 / FRAME_RATES[this.#rate].perSecond / QUARTERS_PER_FRAME;
    // The first full frame has been sent.
    const everyMs = { once: Infinity, fullFrames: FULL_FRAME_MS, quarterFrames: quarterMs }[this.#how];
    return this.#fromMs + (this.#next + 1) * everyMs;
  }

  take(): MidiMessage {
    const piece = this.#next++ % PIECES;
    return this.#how === 'fullFrames'
      ? fullFrameMessage(this.#code, this.#rate)
      : quarterFrame(this.#code, this.#rate, piece);
  }
}
