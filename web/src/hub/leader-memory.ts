const [CLOCK, POSITION, START, CONTINUE, STOP] = [0xf8, 0xf2, 0xfa, 0xfb, 0xfc];
const TICKS_PER_BEAT = 24;
const TICKS_PER_SIXTEENTH = 6;
/** Song position has 14 bits. */
const MAX_SIXTEENTHS = 0x3fff;

/** Where the grid was, in quarter notes, and the tempo, while a clock on this port led it. */
export interface Led {
  portId: string;
  beat: number;
  atMs: number;
  bpm: number;
}

/**
 * A clock that led a hub which was lost: it runs on, but won't say start again. Its ticks are counted from where the grid
 * was, and at the next sixteenth a new hub receives what a late joiner would: song position and continue.
 */
export class LeaderMemory {
  readonly #led: Led;
  #waits = true;

  constructor(led: Led) {
    this.#led = led;
  }

  /** What is to be received before these bytes; nothing for all others. */
  before(portId: string, bytes: Uint8Array, fromMs: number): Uint8Array[] {
    const { beat, atMs, bpm } = this.#led;
    const [status = 0] = bytes;
    if (!this.#waits || portId !== this.#led.portId) return [];
    // It says itself where it is.
    if ([START, CONTINUE, STOP, POSITION].includes(status)) this.#waits = false;
    if (status !== CLOCK) return [];
    const tick = Math.round((beat + ((fromMs - atMs) * bpm) / 60_000) * TICKS_PER_BEAT);
    if (tick < 0 || tick % TICKS_PER_SIXTEENTH !== 0) return [];
    this.#waits = false;
    const sixteenths = tick / TICKS_PER_SIXTEENTH;
    if (sixteenths > MAX_SIXTEENTHS) return [];
    return [Uint8Array.of(POSITION, sixteenths & 0x7f, sixteenths >> 7), Uint8Array.of(CONTINUE)];
  }
}
