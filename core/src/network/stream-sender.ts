import { writeJournal } from './journal';
import { noteOf, type NoteStand } from './note-chapter';
import { afterCommand, afterTimecode, AT_REST, NO_TIMECODE } from './sequencer-state';
import { encodeRtpMidi, type StampedCommand } from './rtp-midi';

/** A message with its due time in whole timestamp units of the sender's clock. */
export interface DueMessage {
  stamp: number;
  bytes: Uint8Array;
}

/** A datagram that fits every network with its headers. */
const MAX_DATAGRAM_LIST = 1200;
/** Segment size of a long SysEx. */
const PIECE_BYTES = 1000;
/** The peer confirms receipt every second; if it never does, the journal reaches no further back than this. */
const MAX_HISTORY = 1024;
/** At most this many notes in a journal, the newest. */
const MAX_NOTES = 64;
/** Replay a lost note late if it was played within this many packets. */
const FRESH_PACKETS = 4;

/** The sending direction of a session: messages in, RTP packets out, each with the journal that repairs lost ones. */
export class StreamSender {
  readonly #ssrc: number;
  #sequence: number;
  #checkpoint: number;
  #sequencer = AT_REST;
  #timecode = NO_TIMECODE;
  /** The last packets with sequencer or timecode content. */
  #lastSequencer = -Infinity;
  #lastTimecode = -Infinity;
  /** Notes played or released since the checkpoint, with their packet. */
  readonly #notes = new Map<number, Omit<NoteStand, 'fresh'> & { sequence: number }>();

  /** `firstSequence`: random, below 2^15. */
  constructor({ ssrc, firstSequence }: { ssrc: number; firstSequence: number }) {
    this.#ssrc = ssrc;
    this.#sequence = firstSequence;
    this.#checkpoint = firstSequence;
  }

  /** Datagrams for messages in time order; messages due together share a packet. */
  packets(messages: readonly DueMessage[]): Uint8Array[] {
    const datagrams: Uint8Array[] = [];
    let together: DueMessage[] = [];
    let length = 0;
    for (const message of messages.flatMap(inPieces)) {
      if (length > 0 && length + message.bytes.length + 4 > MAX_DATAGRAM_LIST) {
        datagrams.push(this.#packet(together));
        together = [];
        length = 0;
      }
      together.push(message);
      length += message.bytes.length + 4;
    }
    if (together.length > 0) datagrams.push(this.#packet(together));
    return datagrams;
  }

  /**
   * A journal-only packet that repairs the last messages when nothing follows them (RFC 6295, 4.2). Null if everything
   * is confirmed.
   */
  guard(stamp: number): Uint8Array | null {
    return this.#checkpoint < this.#sequence ? this.#packet([], stamp) : null;
  }

  /** The peer has confirmed everything up to a packet. */
  heard(sequence: number): void {
    const ahead = ((sequence - this.#sequence) << 16) >> 16;
    const heard = this.#sequence + ahead;
    if (ahead < 0 && heard >= this.#checkpoint) this.#checkpoint = heard + 1;
  }

  #packet(messages: readonly DueMessage[], first = messages[0]?.stamp ?? 0): Uint8Array {
    const sequence = this.#sequence++;
    this.#checkpoint = Math.max(this.#checkpoint, sequence - MAX_HISTORY);
    const journal = writeJournal({
      checkpoint: this.#checkpoint & 0xffff,
      sequencer: this.#lastSequencer >= this.#checkpoint ? this.#sequencer : null,
      timecode: this.#lastTimecode >= this.#checkpoint ? this.#timecode : null,
      recentTimecode: this.#lastTimecode === sequence - 1,
      notes: this.#notesSinceCheckpoint(sequence),
    });
    const commands: StampedCommand[] = messages.map(({ stamp, bytes }) => ({ stamp: stamp - first, bytes }));
    for (const { bytes } of messages) this.#remember(sequence, bytes);
    return encodeRtpMidi({
      sequence: sequence & 0xffff,
      stamp: ((first % 2 ** 32) + 2 ** 32) % 2 ** 32,
      ssrc: this.#ssrc,
      commands,
      journal,
    });
  }

  #notesSinceCheckpoint(sequence: number): NoteStand[] {
    for (const [key, note] of this.#notes) if (note.sequence < this.#checkpoint) this.#notes.delete(key);
    return [...this.#notes.values()]
      .slice(-MAX_NOTES)
      .map(({ sequence: struck, ...note }) => ({ ...note, fresh: sequence - struck <= FRESH_PACKETS }));
  }

  #remember(sequence: number, bytes: Uint8Array): void {
    const note = noteOf(bytes);
    if (note) {
      const key = note.channel * 128 + note.note;
      // Re-insert to keep the newest last.
      this.#notes.delete(key);
      this.#notes.set(key, { ...note, sequence });
    }
    const sequencer = afterCommand(this.#sequencer, bytes);
    const timecode = afterTimecode(this.#timecode, bytes);
    if (sequencer !== this.#sequencer) this.#lastSequencer = sequence;
    if (timecode !== this.#timecode) this.#lastTimecode = sequence;
    this.#sequencer = sequencer;
    this.#timecode = timecode;
  }
}

/** F0 … F0, F7 … F0, F7 … F7: first, middle and last segment of a long SysEx (RFC 6295, 3.2). */
function inPieces(message: DueMessage): DueMessage[] {
  const { bytes, stamp } = message;
  if (bytes[0] !== 0xf0 || bytes.length <= PIECE_BYTES) return [message];
  const data = bytes.subarray(1, bytes.at(-1) === 0xf7 ? -1 : undefined);
  const count = Math.ceil(data.length / PIECE_BYTES);
  return Array.from({ length: count }, (_, i) => {
    const piece = data.subarray(i * PIECE_BYTES, (i + 1) * PIECE_BYTES);
    return { stamp, bytes: Uint8Array.of(i === 0 ? 0xf0 : 0xf7, ...piece, i === count - 1 ? 0xf7 : 0xf0) };
  });
}
