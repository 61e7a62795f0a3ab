import { TICKS_PER_SIXTEENTH } from '../midi/message';

/** Sequencer state after a stream of commands, as kept by RFC 6295's Chapter Q. */
export interface SequencerState {
  /** Started or continued, and not stopped since. */
  performing: boolean;
  /** A clock has arrived since start or continue. */
  downbeat: boolean;
  /** Position in clock ticks: the last tick's after the downbeat, else where it will start. */
  position: number;
}

/** Timecode state, as kept by Chapter F. */
export interface TimecodeState {
  /** The last full frame, as SysEx; null once quarter frames have followed it. */
  fullFrame: Uint8Array | null;
  /** The most recent nibble of each piece. */
  nibbles: readonly number[];
  /** The nibbles of the last complete set. */
  whole: readonly number[] | null;
  /** The last piece, 0..7; null before any. */
  piece: number | null;
  /** Pieces arrive in descending order: reverse play. */
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

/** The state after one more command; the same object if the command doesn't change it. */
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
      // When stopped, the position of the next tick.
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

/** The last piece of a set of quarter frames in this direction. */
export function lastPiece(backwards: boolean): number {
  return backwards ? 0 : 7;
}

/** F0 7F device 01 01 hours minutes seconds frames F7. */
export function isFullFrame(bytes: Uint8Array): boolean {
  return bytes.length === 10 && bytes[0] === 0xf0 && bytes[1] === 0x7f && bytes[3] === 1 && bytes[4] === 1;
}
