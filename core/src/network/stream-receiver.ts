import { readJournal } from './journal';
import { STAMPS_PER_MS } from './session-packets';
import type { RtpMidiPacket } from './rtp-midi';
import { StreamTrack, type StampedMessage } from './stream-track';
import { SysexPieces } from './sysex-pieces';

export interface StreamCounts {
  received: number;
  /** Packets presumed lost. */
  lost: number;
  /** Packets that arrived after a later one. */
  reordered: number;
  /** Duplicates, and packets that arrived after being repaired. */
  tooLate: number;
  /** Interarrival jitter of RFC 3550, 6.4.1, smoothed over about sixteen packets, ms. */
  jitterMs: number;
}

/** A sequence gap longer than this means that the stream restarted. */
const MAX_GAP = 1000;
const MAX_HELD = 256;
/** Repair missing packets this long before their first message is due, so that it can still be sent. */
const HAND_OVER_MS = 6;
/** Predict a missing tick this long before it is due. */
const PREDICT_MS = 3;
const LOOK_AGAIN_MS = 2;
const TWO_32 = 2 ** 32;

interface Held {
  readonly stampMs: number;
  readonly messages: StampedMessage[];
  readonly journal: Uint8Array | null;
}

/**
 * The receiving direction of a session: RTP packets in any order in, messages in order out. A missing packet is waited
 * for until something in it would be due, then repaired from the journal.
 */
export class StreamReceiver {
  readonly counts: StreamCounts = { received: 0, lost: 0, reordered: 0, tooLate: 0, jitterMs: 0 };
  readonly #track = new StreamTrack();
  readonly #pieces = new SysexPieces();
  readonly #held = new Map<number, Held>();
  /** Packets presumed lost. */
  readonly #givenUp = new Set<number>();
  /** Extended sequence number of the next packet. */
  #next: number | null = null;
  #highest = -Infinity;
  #first = true;
  #stamp: number | null = null;
  #transitMs: number | null = null;
  #lastStampMs: number | null = null;
  /** Time of the last message delivered. */
  #lastMs = -Infinity;

  /** The last packet before which everything has arrived or been given up, 16 bits; null before the first. */
  get heard(): number | null {
    return this.#next === null ? null : (this.#next - 1) & 0xffff;
  }

  /** Timestamp of the last packet, ms of the sender's clock; null before the first. */
  get lastStampMs(): number | null {
    return this.#lastStampMs;
  }

  /** `expectedMs`: the sender's approximate current time, if known, because a timestamp has only 32 bits. */
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

  /**
   * The messages that can be delivered now, in order. `dueMs`: maps a timestamp to its due time, on the clock of
   * `nowMs`.
   */
  take(nowMs: number, dueMs: (stampMs: number) => number): StampedMessage[] {
    const out: StampedMessage[] = [];
    while (this.#next !== null && this.#held.size > 0) {
      const held = this.#held.get(this.#next);
      if (held) {
        // The first packet's journal also covers what came before it.
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
      if (nowMs < dueMs(firstMs) - HAND_OVER_MS && this.#held.size < MAX_HELD) break;
      for (; this.#next < present; this.#next++) this.#giveUp(this.#next);
      this.#pieces.giveUp();
      out.push(...this.#makeUp(after));
    }
    const tickMs = this.#track.nextTickMs;
    if (tickMs !== null && nowMs >= dueMs(tickMs) - PREDICT_MS) out.push(...this.#track.predict());
    if (out.length > 0) this.#lastMs = out.at(-1)?.stampMs ?? this.#lastMs;
    return out;
  }

  /** When something may become deliverable, on the clock of `nowMs`; held packets are checked again soon. */
  nextMs(nowMs: number, dueMs: (stampMs: number) => number): number {
    if (this.#held.size > 0) return nowMs + LOOK_AGAIN_MS;
    const tickMs = this.#track.nextTickMs;
    return tickMs === null ? Infinity : dueMs(tickMs) - PREDICT_MS;
  }

  #makeUp({ stampMs, messages, journal }: Held): StampedMessage[] {
    return this.#track.repair(journal && readJournal(journal), messages, stampMs);
  }

  #giveUp(number: number): void {
    this.counts.lost++;
    this.#givenUp.add(number);
    const [oldest] = this.#givenUp;
    if (this.#givenUp.size > MAX_HELD && oldest !== undefined) this.#givenUp.delete(oldest);
  }

  #handOn({ stampMs, bytes }: StampedMessage): StampedMessage[] {
    const whole = this.#pieces.push(bytes);
    return whole ? this.#track.accept({ stampMs, bytes: whole }) : [];
  }

  #numberOf(sequence: number): number {
    if (this.#next === null) return sequence + 0x10000;
    const ahead = ((sequence - this.#next) << 16) >> 16;
    if (Math.abs(ahead) > MAX_GAP) {
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
