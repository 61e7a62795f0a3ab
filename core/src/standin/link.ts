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

/** A message on a link: when it was sent, occupied it, and arrived. */
interface Passage {
  atMs: number;
  beginsMs: number;
  endsMs: number;
  arrivesMs: number;
}

/** Nobody plans further ahead than this; it is forgotten now and then. */
const REMEMBERED_MS = 5000;
const MOST_PASSAGES = 4096;

/**
 * A simulated cable, bus or network link: bytes go in with their send time and come out later, in order of their send
 * times. What is planned ahead may be handed in first: what is sent meanwhile goes between.
 */
export class Link {
  readonly #settings: LinkSettings;
  readonly #random;
  readonly #out: Receiver;
  #passages: Passage[] = [];
  /** Of all that was handed in: the latest send time, the end and the arrival. */
  #newestMs = -Infinity;
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
    const lastsMs = bytes.length * byteMs;
    const inOrder = atMs >= this.#newestMs;
    const beginsMs = inOrder ? Math.max(atMs, this.#freeAtMs) : this.#gapFrom(atMs, lastsMs);
    const endsMs = beginsMs + lastsMs;
    let arrivesMs = endsMs + delayMs;
    if (jitterMs > 0) arrivesMs = Math.max(atMs, arrivesMs + jitterMs * this.#draw(jitter));
    if (pollMs > 0) arrivesMs = Math.ceil(arrivesMs / pollMs) * pollMs;
    if (!overtakes) arrivesMs = Math.max(arrivesMs, inOrder ? this.#lastMs : this.#lastBefore(atMs));
    this.#remember({ atMs, beginsMs, endsMs, arrivesMs });
    this.#out(bytes, arrivesMs);
  }

  /** The first moment from which the link is free for so long. */
  #gapFrom(atMs: number, lastsMs: number): number {
    const ahead = this.#passages.filter(({ endsMs }) => endsMs > atMs).sort((a, b) => a.beginsMs - b.beginsMs);
    let freeMs = atMs;
    for (const { beginsMs, endsMs } of ahead) {
      if (freeMs + lastsMs <= beginsMs) break;
      freeMs = Math.max(freeMs, endsMs);
    }
    return freeMs;
  }

  /** When the last of what was sent up to a time arrived. */
  #lastBefore(atMs: number): number {
    const before = this.#passages.filter((one) => one.atMs <= atMs);
    return before.reduce((last, { arrivesMs }) => Math.max(last, arrivesMs), -Infinity);
  }

  #remember(passage: Passage): void {
    this.#passages.push(passage);
    this.#newestMs = Math.max(this.#newestMs, passage.atMs);
    this.#freeAtMs = Math.max(this.#freeAtMs, passage.endsMs);
    this.#lastMs = Math.max(this.#lastMs, passage.arrivesMs);
    if (this.#passages.length > MOST_PASSAGES)
      this.#passages = this.#passages
        .filter(({ endsMs }) => endsMs > this.#newestMs - REMEMBERED_MS)
        .slice(-MOST_PASSAGES / 2);
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
