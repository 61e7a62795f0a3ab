import { TICKS_PER_SIXTEENTH } from '../midi/message';

/** Where a stream of commands has left a sequencer: what RFC 6295's Chapter Q keeps. */
export interface SequencerState {
  /** Started or continued, and not stopped since. */
  performing: boolean;
  /** A clock has come since it was started or continued. */
  downbeat: boolean;
  /** In ticks of clock: of the last tick once the downbeat has come, else where it will begin. */
  position: number;
}

/** And of timecode: Chapter F. */
export interface TimecodeState {
  /** The last full frame, as a SysEx; null once quarter frames have come after it. */
  fullFrame: Uint8Array | null;
  /** The nibbles of the pieces, as they came last. */
  nibbles: readonly number[];
  /** The nibbles of the last set that came whole. */
  whole: readonly number[] | null;
  /** The last piece that came, 0..7; null before any. */
  piece: number | null;
  /** They come in falling order: the tape runs backwards. */
  backwards: boolean;
}

export const AT_REST: SequencerState = { performing: false, downbeat: false, position: 0 };
export const NO_TIMECODE: TimecodeState = {
  fullFrame: null,
  nibbles: new Array<number>(8).fill(0),
  whole: null,
  piece: null,
  backwards: false,
};

/** 19 bits (RFC 6295, B.3). */
const POSITIONS = 2 ** 19;

/** The state after one more command; the very same one where the command is none of a sequencer's. */
export function afterCommand(state: SequencerState, bytes: Uint8Array): SequencerState {
  const [status, low = 0, high = 0] = bytes;
  switch (status) {
    case 0xf8:
      if (!state.performing) return state;
      return { ...state, downbeat: true, position: state.downbeat ? (state.position + 1) % POSITIONS : state.position };
    case 0xfa:
      return { performing: true, downbeat: false, position: 0 };
    case 0xfb:
      return state.performing ? state : { ...state, performing: true, downbeat: false };
    case 0xfc: {
      // It stands where the next tick would have been.
      const position = state.performing && state.downbeat ? state.position + 1 : state.position;
      return { performing: false, downbeat: false, position };
    }
    case 0xf2:
      return { ...state, downbeat: false, position: ((high << 7) | low) * TICKS_PER_SIXTEENTH };
    default:
      return state;
  }
}

export function afterTimecode(state: TimecodeState, bytes: Uint8Array): TimecodeState {
  if (bytes[0] === 0xf1) {
    const piece = ((bytes[1] ?? 0) >> 4) & 7;
    const nibbles = state.nibbles.with(piece, (bytes[1] ?? 0) & 0x0f);
    const backwards = state.piece !== null && ((state.piece - piece + 8) & 7) === 1;
    const whole = piece === lastPiece(backwards) ? nibbles : state.whole;
    return { fullFrame: null, nibbles, whole, piece, backwards };
  }
  return isFullFrame(bytes) ? { ...NO_TIMECODE, fullFrame: bytes } : state;
}

/** Of a set of quarter frames, in the order in which they come. */
export function lastPiece(backwards: boolean): number {
  return backwards ? 0 : 7;
}

/** F0 7F device 01 01 hours minutes seconds frames F7. */
export function isFullFrame(bytes: Uint8Array): boolean {
  return bytes.length === 10 && bytes[0] === 0xf0 && bytes[1] === 0x7f && bytes[3] === 1 && bytes[4] === 1;
}
