import { readJournal } from './journal';
import { STAMPS_PER_MS } from './session-packets';
import type { RtpMidiPacket } from './rtp-midi';
import { StreamTrack, type StampedMessage } from './stream-track';
import { SysexPieces } from './sysex-pieces';

export interface StreamCounts {
  received: number;
  /** Never came, as far as that is known. */
  lost: number;
  /** Came after one that was sent later. */
  reordered: number;
  /** Came twice, or after they had been made up. */
  tooLate: number;
  /** Of RFC 3550, 6.4.1: how evenly they travel, smoothed over the last sixteen or so, ms. */
  jitterMs: number;
}

/** A gap longer than this is a stream that began anew. */
const MOST_GAP = 1000;
const MOST_HELD = 256;
/** What is missing is made up so long before the first of it is due, so that it can still be handed over. */
const HAND_OVER_MS = 6;
/** And a tick that has not come is foretold so long before. */
const FORETELL_MS = 3;
const LOOK_AGAIN_MS = 2;
const TWO_32 = 2 ** 32;

interface Held {
  readonly stampMs: number;
  readonly messages: StampedMessage[];
  readonly journal: Uint8Array | null;
}

/**
 * The other direction of a session: RTP packets in, in whatever order, messages out in theirs. A packet that is missing is waited for
 * until something of it would be due; then it is made up from the journal.
 */
export class StreamReceiver {
  readonly counts: StreamCounts = { received: 0, lost: 0, reordered: 0, tooLate: 0, jitterMs: 0 };
  readonly #track = new StreamTrack();
  readonly #pieces = new SysexPieces();
  readonly #held = new Map<number, Held>();
  /** Packets that were taken for lost. */
  readonly #givenUp = new Set<number>();
  /** The number of the packet that is next, not cut to 16 bits. */
  #next: number | null = null;
  #highest = -Infinity;
  #first = true;
  #stamp: number | null = null;
  #transitMs: number | null = null;
  #lastStampMs: number | null = null;
  /** Of what was handed on last. */
  #lastMs = -Infinity;

  /** The last packet of which everything before it has come or is given up, 16 bits; null before the first. */
  get heard(): number | null {
    return this.#next === null ? null : (this.#next - 1) & 0xffff;
  }

  /** Of the packet that came last, ms of the sender's clock; null before the first. */
  get lastStampMs(): number | null {
    return this.#lastStampMs;
  }

  /** `expectedMs`: about what the sender's clock shows now, where that is known; for a stamp has only 32 bits. */
  push(packet: RtpMidiPacket, arrivedMs: number, expectedMs: number | null): void {
    const number = this.#numberOf(packet.sequence);
    const stamp = this.#unwrap(packet.stamp, expectedMs);
    this.#lastStampMs = stamp / STAMPS_PER_MS;
    this.#measure(this.#lastStampMs, arrivedMs);
    this.counts.received++;
    if (number < (this.#next ?? number) || this.#held.has(number)) {
      this.counts.tooLate++;
      if (this.#givenUp.delete(number)) this.counts.lost--;
      return;
    }
    if (number < this.#highest) this.counts.reordered++;
    this.#highest = Math.max(this.#highest, number);
    const messages = packet.commands.map((command) => ({
      stampMs: (stamp + command.stamp) / STAMPS_PER_MS,
      bytes: command.bytes,
    }));
    this.#held.set(number, { stampMs: this.#lastStampMs, messages, journal: packet.journal });
    this.#next ??= number;
  }

  /** What can be handed on now, in order. `dueMs`: when what has this stamp is due, on the clock of `nowMs`. */
  take(nowMs: number, dueMs: (stampMs: number) => number): StampedMessage[] {
    const out: StampedMessage[] = [];
    while (this.#next !== null && this.#held.size > 0) {
      const held = this.#held.get(this.#next);
      if (held) {
        // What was before the first packet stands in its journal too.
        if (this.#first) out.push(...this.#makeUp(held));
        this.#first = false;
        this.#held.delete(this.#next++);
        out.push(...held.messages.flatMap((message) => this.#handOn(message)));
        continue;
      }
      const present = Math.min(...this.#held.keys());
      const after = this.#held.get(present);
      if (!after) break;
      const missingMs = this.#track.nextTickMs ?? this.#lastMs + 1;
      const firstMs = Math.min(after.stampMs, missingMs);
      if (nowMs < dueMs(firstMs) - HAND_OVER_MS && this.#held.size < MOST_HELD) break;
      for (; this.#next < present; this.#next++) this.#giveUp(this.#next);
      this.#pieces.giveUp();
      out.push(...this.#makeUp(after));
    }
    const tickMs = this.#track.nextTickMs;
    if (tickMs !== null && nowMs >= dueMs(tickMs) - FORETELL_MS) out.push(...this.#track.foretell());
    if (out.length > 0) this.#lastMs = out.at(-1)?.stampMs ?? this.#lastMs;
    return out;
  }

  /** When something may be handed on by itself, on the clock of `nowMs`; what is held back is looked at again soon. */
  nextMs(nowMs: number, dueMs: (stampMs: number) => number): number {
    if (this.#held.size > 0) return nowMs + LOOK_AGAIN_MS;
    const tickMs = this.#track.nextTickMs;
    return tickMs === null ? Infinity : dueMs(tickMs) - FORETELL_MS;
  }

  #makeUp({ stampMs, messages, journal }: Held): StampedMessage[] {
    return this.#track.makeUp(journal && readJournal(journal), messages, stampMs);
  }

  #giveUp(number: number): void {
    this.counts.lost++;
    this.#givenUp.add(number);
    const [oldest] = this.#givenUp;
    if (this.#givenUp.size > MOST_HELD && oldest !== undefined) this.#givenUp.delete(oldest);
  }

  #handOn({ stampMs, bytes }: StampedMessage): StampedMessage[] {
    const whole = this.#pieces.push(bytes);
    return whole ? this.#track.take({ stampMs, bytes: whole }) : [];
  }

  #numberOf(sequence: number): number {
    if (this.#next === null) return sequence + 0x10000;
    const ahead = ((sequence - this.#next) << 16) >> 16;
    if (Math.abs(ahead) > MOST_GAP) {
      this.#held.clear();
      this.#next = null;
      this.#first = true;
      this.#highest = -Infinity;
      return sequence + 0x10000;
    }
    return this.#next + ahead;
  }

  #unwrap(stamp: number, expectedMs: number | null): number {
    const near = this.#stamp ?? (expectedMs === null ? stamp : Math.round(expectedMs * STAMPS_PER_MS));
    const unwrapped = near + ((stamp - (((near % TWO_32) + TWO_32) % TWO_32)) | 0);
    this.#stamp = Math.max(this.#stamp ?? -Infinity, unwrapped);
    return unwrapped;
  }

  #measure(stampMs: number, arrivedMs: number): void {
    const transitMs = arrivedMs - stampMs;
    if (this.#transitMs !== null)
      this.counts.jitterMs += (Math.abs(transitMs - this.#transitMs) - this.counts.jitterMs) / 16;
    this.#transitMs = transitMs;
  }
}
