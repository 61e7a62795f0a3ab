import type { MidiMessage } from '../midi/message';
import { framesToSeconds } from './code-position';
import { timecodeToFrames, type FrameRate } from './timecode';
import { PIECES, readQuarterFrames } from './timecode-messages';

/** A whole code, and when the first of its eight pieces arrived: the code names that moment (MIDI timecode, 1987). */
export interface CodeAt {
  readonly atMs: number;
  /** Since midnight. */
  readonly seconds: number;
  readonly rate: FrameRate;
}

/** Puts whole codes together from quarter frames in order. What is cut off, or runs backwards, is left out. */
export class CodeReader {
  #nibbles: number[] = [];
  #beganMs = 0;
  #gaps = 0;

  /** Codes that were cut off. */
  get gaps(): number {
    return this.#gaps;
  }

  push({ piece, nibble }: Extract<MidiMessage, { kind: 'quarterFrame' }>, atMs: number): CodeAt | null {
    const follows = piece === this.#nibbles.length;
    if (this.#nibbles.length > 0 && !follows) this.#gaps++;
    if (piece === 0) {
      this.#nibbles = [nibble];
      this.#beganMs = atMs;
    } else this.#nibbles = follows ? [...this.#nibbles, nibble] : [];
    if (this.#nibbles.length !== PIECES) return null;
    const read = readQuarterFrames(this.#nibbles);
    this.#nibbles = [];
    if (!read) return null;
    const { timecode, rate } = read;
    return { atMs: this.#beganMs, seconds: framesToSeconds(timecodeToFrames(timecode, rate), rate), rate };
  }
}
