import { seededRandom } from './random';

/** What happens to bytes between two sockets. */
export interface LinkSettings {
  /** Fixed delay, ms. */
  delayMs: number;
  /** Standard deviation of the delay, ms; causality and order are kept. */
  jitterMs?: number;
  /** Distribution of the delay: around `delayMs`, or only ever added to it. */
  jitter?: 'normal' | 'uniform' | 'exponential';
  /** Poll interval of the bus: bytes are delivered only at multiples of it. */
  pollMs?: number;
  /** Transmission time per byte, ms; bytes queue behind each other. */
  byteMs?: number;
  /** Independent packets may overtake each other. */
  overtakes?: boolean;
  /** Share of lost packets, 0..1. */
  loss?: number;
  seed?: number;
}

/** 31,250 baud and ten bits per byte: 320 us (MIDI 1.0 Detailed Specification). */
export const DIN_BYTE_MS = 0.32;

export const LINKS = {
  /** Each byte is delivered once its last bit has passed. */
  din: { delayMs: 0, byteMs: DIN_BYTE_MS },
  /** Full-speed frames come every millisecond. */
  usb: { delayMs: 0.3, pollMs: 1, jitterMs: 0.1 },
  loopback: { delayMs: 0.05, jitterMs: 0.02 },
  network: { delayMs: 3, jitterMs: 1.5, loss: 0.002 },
  /** A powered split box forwards each bit immediately. */
  splitBox: { delayMs: 0.002 },
} as const satisfies Record<string, LinkSettings>;

type Receiver = (bytes: Uint8Array, atMs: number) => void;

/** A simulated cable, bus or network link: bytes go in with their send time and come out later, in order. */
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
    const {
      delayMs,
      jitterMs = 0,
      jitter = 'normal',
      pollMs = 0,
      byteMs = 0,
      loss = 0,
      overtakes = false,
    } = this.#settings;
    if (loss > 0 && this.#random.uniform() < loss) return;
    const begins = Math.max(atMs, this.#freeAtMs);
    this.#freeAtMs = begins + bytes.length * byteMs;
    let arrives = this.#freeAtMs + delayMs;
    if (jitterMs > 0) arrives = Math.max(atMs, arrives + jitterMs * this.#draw(jitter));
    if (pollMs > 0) arrives = Math.ceil(arrives / pollMs) * pollMs;
    this.#lastMs = Math.max(this.#lastMs, arrives);
    this.#out(bytes, overtakes ? arrives : this.#lastMs);
  }

  #draw(jitter: LinkSettings['jitter']): number {
    if (jitter === 'uniform') return Math.sqrt(12) * this.#random.uniform();
    return jitter === 'exponential' ? -Math.log(1 - this.#random.uniform()) : this.#random.normal();
  }
}

/** A chain of thru sockets: each repeats its input slightly later, because of its optocoupler. */
export function thruChain(sockets: number, out: Receiver): Link {
  return new Link({ delayMs: 0.002 * sockets, byteMs: DIN_BYTE_MS }, out);
}
