import { seededRandom } from './random';

/** What happens to bytes between two sockets. */
export interface LinkSettings {
  /** So much later, ms. */
  delayMs: number;
  /** Standard deviation of that, ms; what would come before it was sent, or before what was sent earlier, waits. */
  jitterMs?: number;
  /** Only at every so many ms is anything handed over: a polled bus. */
  pollMs?: number;
  /** So long each byte takes on the line, ms; bytes wait for those before them. */
  byteMs?: number;
  /** Packets that travel by themselves may overtake each other. */
  overtakes?: boolean;
  /** Part of the packets that never arrive, 0..1. */
  loss?: number;
  seed?: number;
}

/** 31 250 baud and ten bits a byte: 320 us (MIDI 1.0 Detailed Specification). */
export const DIN_BYTE_MS = 0.32;

export const LINKS = {
  /** Each byte leaves as its last bit has passed. */
  din: { delayMs: 0, byteMs: DIN_BYTE_MS },
  /** Full-speed frames come every millisecond. */
  usb: { delayMs: 0.3, pollMs: 1, jitterMs: 0.1 },
  loopback: { delayMs: 0.05, jitterMs: 0.02 },
  network: { delayMs: 3, jitterMs: 1.5, loss: 0.002 },
  /** A powered split box sends each bit on at once. */
  splitBox: { delayMs: 0.002 },
} as const satisfies Record<string, LinkSettings>;

type Receiver = (bytes: Uint8Array, atMs: number) => void;

/** A simulated cable, bus or network link: bytes go in with the time they are sent, and come out later, in order. */
export class Link {
  readonly #settings: LinkSettings;
  readonly #random;
  readonly #out: Receiver;
  #freeAtMs = -Infinity;
  #lastMs = -Infinity;

  constructor(settings: LinkSettings, out: Receiver) {
    this.#settings = settings;
    this.#random = seededRandom(settings.seed ?? 1);
    this.#out = out;
  }

  send(bytes: Uint8Array, atMs: number): void {
    const { delayMs, jitterMs = 0, pollMs = 0, byteMs = 0, loss = 0, overtakes = false } = this.#settings;
    if (loss > 0 && this.#random.uniform() < loss) return;
    const begins = Math.max(atMs, this.#freeAtMs);
    this.#freeAtMs = begins + bytes.length * byteMs;
    let arrives = this.#freeAtMs + delayMs;
    if (jitterMs > 0) arrives = Math.max(atMs, arrives + jitterMs * this.#random.normal());
    if (pollMs > 0) arrives = Math.ceil(arrives / pollMs) * pollMs;
    this.#lastMs = Math.max(this.#lastMs, arrives);
    this.#out(bytes, overtakes ? arrives : this.#lastMs);
  }
}

/** A chain of thru sockets: each hands on what it hears, a little later, for the bits pass through its optocoupler. */
export function thruChain(sockets: number, out: Receiver): Link {
  return new Link({ delayMs: 0.002 * sockets, byteMs: DIN_BYTE_MS }, out);
}
