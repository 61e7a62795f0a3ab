import type { FrameRate } from '../timecode/timecode';

/** What a message meant to a receiver. */
export type Heard =
  /** `played`: the number of the tick in the song; null if it isn't playing. */
  | { kind: 'tick'; played: number | null; sinceStartMs: number | null }
  /** The first piece of a code, once all eight were there: when it arrived, and what it says. */
  | { kind: 'code'; firstPieceMs: number; seconds: number; rate: FrameRate }
  | { kind: 'piece' }
  | { kind: 'start' | 'continue' | 'stop' }
  | { kind: 'position'; ticks: number; ignored: boolean }
  | { kind: 'noteOn' | 'noteOff' }
  | { kind: 'machine'; does: 'play' | 'stop' | 'locate' }
  | { kind: 'other' };

interface Abilities {
  startStop: boolean;
  songPosition: boolean;
}

const TICKS_PER_SIXTEENTH = 6;
const PIECES = 8;
/** Rates by their two bits in the last piece (MIDI timecode detailed specification, from memory). */
const RATES: readonly FrameRate[] = ['24', '25', '29.97df', '30'];

/**
 * A device at the end of a wire, after the MIDI 1.0 detailed specification (from memory): it reads the bytes and knows
 * nothing of the hub. Start and continue arm it, and it plays from the next clock on; song position counts only while
 * it is stopped; a continue while it plays is ignored; a code is complete after eight quarter frames in a row and names
 * the frame in which the first one came.
 */
export class Receiver {
  readonly able: Abilities;
  playing = false;
  lastTickMs = -Infinity;
  lastCodeMs = -Infinity;
  machinePlays = false;
  /** Where the machine was last located, seconds. */
  machineSeconds: number | null = null;
  #nextTick = 0;
  /** Start or continue came, and no clock since. */
  #armedMs: number | null = null;
  readonly #on = new Map<number, number>();
  #missed = false;
  #pieces: { nibble: number; atMs: number }[] = [];

  constructor(able: Abilities) {
    this.able = able;
  }

  get notesOn(): number {
    return [...this.#on.values()].reduce((sum, times) => sum + times, 0);
  }

  receive(bytes: Uint8Array, atMs: number): Heard {
    const [status = 0, first = 0, second = 0] = bytes;
    switch (status) {
      case 0xf8:
        return this.#tick(atMs);
      case 0xfa:
      case 0xfb:
        return this.#start(status === 0xfa, atMs);
      case 0xfc:
        this.playing = false;
        this.#armedMs = null;
        return { kind: 'stop' };
      case 0xf2:
        return this.#position((first + 128 * second) * TICKS_PER_SIXTEENTH);
      case 0xf1:
        return this.#piece(first >> 4, first & 15, atMs);
      case 0xf0:
        return this.#sysex(bytes);
    }
    if (status >> 4 === 9 && second > 0) return this.#note((status & 15) * 128 + first, 1);
    if (status >> 4 === 8 || status >> 4 === 9) return this.#note((status & 15) * 128 + first, -1);
    return { kind: 'other' };
  }

  /** Its cable was moved, or dead for a while: it missed something. */
  interrupt(): void {
    this.#missed = true;
    this.#on.clear();
  }

  #tick(atMs: number): Heard {
    this.lastTickMs = atMs;
    if (!this.playing) return { kind: 'tick', played: null, sinceStartMs: null };
    const sinceStartMs = this.#armedMs === null ? null : atMs - this.#armedMs;
    this.#armedMs = null;
    return { kind: 'tick', played: this.#nextTick++, sinceStartMs };
  }

  #start(fromTop: boolean, atMs: number): Heard {
    const kind = fromTop ? 'start' : 'continue';
    if (!this.able.startStop || (this.playing && !fromTop)) return { kind };
    if (fromTop) this.#nextTick = 0;
    this.playing = true;
    this.#armedMs = atMs;
    return { kind };
  }

  #position(ticks: number): Heard {
    const ignored = this.playing || !this.able.songPosition;
    if (!ignored) this.#nextTick = ticks;
    return { kind: 'position', ticks, ignored };
  }

  #note(key: number, change: 1 | -1): Heard {
    // A note-off alone is nothing: the note began before the cable was there.
    this.#on.set(key, Math.max(0, (this.#on.get(key) ?? 0) + change));
    return { kind: change > 0 ? 'noteOn' : 'noteOff' };
  }

  #piece(piece: number, nibble: number, atMs: number): Heard {
    if (piece !== this.#pieces.length % PIECES) {
      if (piece !== 0 && this.#missed) return { kind: 'piece' };
      if (piece !== 0) throw new Error(`Quarter frame ${piece} came after ${this.#pieces.length} in a row`);
      this.#pieces = [];
    }
    if (piece === 0) this.#missed = false;
    this.#pieces.push({ nibble, atMs });
    const [one] = this.#pieces;
    if (this.#pieces.length < PIECES || !one) return { kind: 'piece' };
    const value = (low: number, mask: number) =>
      (this.#pieces[low]?.nibble ?? 0) + 16 * ((this.#pieces[low + 1]?.nibble ?? 0) & mask);
    const rate = RATES[((this.#pieces[7]?.nibble ?? 0) >> 1) & 3] ?? '25';
    const seconds = secondsOf(value(6, 1), value(4, 3), value(2, 3), value(0, 1), rate);
    this.#pieces = [];
    this.lastCodeMs = atMs;
    return { kind: 'code', firstPieceMs: one.atMs, seconds, rate };
  }

  /** Full frames say 01 01; machine control is 06, then its command. */
  #sysex(bytes: Uint8Array): Heard {
    if (bytes[3] === 1 && bytes[4] === 1) this.#pieces = [];
    if (bytes[3] !== 6) return { kind: 'other' };
    switch (bytes[4]) {
      case 1:
      case 9:
        this.machinePlays = false;
        this.machineSeconds = null;
        return { kind: 'machine', does: 'stop' };
      case 2:
        this.machinePlays = true;
        return { kind: 'machine', does: 'play' };
      case 0x44: {
        const [hours = 0, minutes = 0, seconds = 0, frames = 0, subframes = 0] = bytes.subarray(7);
        const rate = RATES[(hours >> 5) & 3] ?? '25';
        this.machineSeconds =
          secondsOf(hours & 31, minutes, seconds, frames & 31, rate) + subframes / 100 / nominal(rate);
        return { kind: 'machine', does: 'locate' };
      }
    }
    return { kind: 'other' };
  }
}

function nominal(rate: FrameRate): number {
  return rate === '29.97df' ? 30 : Number(rate);
}

/**
 * Real time of a code. Drop-frame leaves out the numbers 0 and 1 of each minute, but of each tenth, and runs at 30
 * frames in 1.001 s (SMPTE ST 12-1, from memory).
 */
function secondsOf(hours: number, minutes: number, seconds: number, frames: number, rate: FrameRate): number {
  const total = 60 * hours + minutes;
  const number = (60 * total + seconds) * nominal(rate) + frames;
  return rate === '29.97df' ? ((number - 2 * (total - Math.floor(total / 10))) * 1.001) / 30 : number / nominal(rate);
}
