import { TICKS_PER_SIXTEENTH } from '../midi/message';
import type { Journal } from './journal';
import { noteOf, type NoteStand } from './note-chapter';
import {
  afterCommand,
  afterTimecode,
  AT_REST,
  NO_TIMECODE,
  type SequencerState,
  type TimecodeState,
} from './sequencer-state';

/** A message with its due time, in ms of the sender's clock. */
export interface StampedMessage {
  stampMs: number;
  bytes: Uint8Array;
}

const CLOCK = 0xf8;
const QUARTER_FRAME = 0xf1;
/** Beyond this many lost ticks no repair is attempted: the follower has lost sync by then. */
const MAX_REPAIRED = 96;
/** Continue precedes its first tick by this much. */
const CONTINUE_LEAD_MS = 2;
const QUARTERS_STALE_MS = 500;
/** A tick is predicted once this many intervals were steady, differing from each other by no more than this. */
const EVEN_TICKS = 4;
const EVEN = 0.2;
/** At most this many predictions in a row: beyond that, the clock has stopped, or the network. */
const MAX_PREDICTED = 2;

/**
 * Tracks the stream's sync state. After packet loss it synthesizes whatever is missing to match the sender (ticks and
 * quarter frames at their original times, start, stop, position), so the playout buffer conceals the loss.
 */
export class StreamTrack {
  #sequencer: SequencerState = AT_REST;
  #timecode: TimecodeState = NO_TIMECODE;
  /** Sounding notes, by channel and number. */
  readonly #sounding = new Set<number>();
  #tickMs: number | null = null;
  /** The last tick intervals, ms. */
  #tickGaps: number[] = [];
  /** Ticks played as predictions, before they arrived. */
  #foretold = 0;
  #quarterMs: number | null = null;
  #quarterEveryMs: number | null = null;
  /** The sender is rolling, but its start was lost: join at the next sixteenth. */
  #joining = false;

  /** A message in its turn; returns what to deliver. */
  accept(message: StampedMessage): StampedMessage[] {
    const { bytes, stampMs } = message;
    const note = noteOf(bytes);
    if (note) this.#noteStands(note);
    this.#sequencer = afterCommand(this.#sequencer, bytes);
    this.#timecode = afterTimecode(this.#timecode, bytes);
    if (bytes[0] === 0xfa || bytes[0] === 0xfb || bytes[0] === 0xfc) {
      this.#joining = false;
      this.#foretold = 0;
      this.#tickGaps = [];
    }
    if (bytes[0] === QUARTER_FRAME) {
      this.#quarterEveryMs = spacing(this.#quarterMs, stampMs) ?? this.#quarterEveryMs;
      this.#quarterMs = stampMs;
    }
    if (bytes[0] !== CLOCK) return [message];
    const gap = spacing(this.#tickMs, stampMs);
    this.#tickGaps = gap === null ? [] : [...this.#tickGaps.slice(1 - EVEN_TICKS), gap];
    this.#tickMs = stampMs;
    const { position } = this.#sequencer;
    // Already played as a predicted tick.
    if (this.#foretold > 0) {
      this.#foretold--;
      return [];
    }
    if (!this.#joining || position % TICKS_PER_SIXTEENTH !== 0) return [message];
    this.#joining = false;
    const joinMs = stampMs - CONTINUE_LEAD_MS;
    return [...at(joinMs, songPosition(position), Uint8Array.of(0xfb)), message];
  }

  /** When the next tick is due if the clock continues; null if unknown. */
  get nextTickMs(): number | null {
    const gaps = this.#tickGaps;
    const every = this.#tickEveryMs;
    if (this.#tickMs === null || every === null || gaps.length < EVEN_TICKS || this.#joining) return null;
    if (this.#foretold >= MAX_PREDICTED || gaps.some((gap) => Math.abs(gap / every - 1) > EVEN)) return null;
    return this.#tickMs + (this.#foretold + 1) * every;
  }

  /** Plays the tick that is due but hasn't arrived; it is discarded if it arrives later. */
  predict(): StampedMessage[] {
    const stampMs = this.nextTickMs;
    if (stampMs === null) return [];
    this.#foretold++;
    return at(stampMs, Uint8Array.of(CLOCK));
  }

  get #tickEveryMs(): number | null {
    return this.#tickGaps.length > 0 ? this.#tickGaps.reduce((sum, gap) => sum + gap, 0) / this.#tickGaps.length : null;
  }

  /**
   * Packets are missing before one that arrived with this journal and timestamp: returns what to deliver in their
   * place, in time order.
   */
  repair(journal: Journal | null, next: readonly StampedMessage[], atMs: number): StampedMessage[] {
    const made = [
      ...this.#makeUpTicks(journal?.sequencer ?? null, next, atMs),
      ...this.#makeUpQuarters(journal?.timecode ?? null, atMs),
    ];
    const out = made.sort((a, b) => a.stampMs - b.stampMs).flatMap((one) => this.accept(one));
    out.push(...this.#makeUpNotes(journal?.notes ?? [], atMs));
    out.push(...this.#makeUpTransport(journal?.sequencer ?? null, atMs));
    return out;
  }

  #noteStands({ channel, note, velocity }: Omit<NoteStand, 'fresh'>): void {
    const key = channel * 128 + note;
    if (velocity > 0) this.#sounding.add(key);
    else this.#sounding.delete(key);
  }

  /** Never leaves a hanging note: a note-on lost moments ago is replayed late instead. */
  #makeUpNotes(stands: readonly NoteStand[], atMs: number): StampedMessage[] {
    return stands.flatMap(({ channel, note, velocity, fresh }) => {
      const sounds = this.#sounding.has(channel * 128 + note);
      if (velocity === 0)
        return sounds ? this.accept({ stampMs: atMs, bytes: Uint8Array.of(0x80 | channel, note, 64) }) : [];
      return fresh && !sounds
        ? this.accept({ stampMs: atMs, bytes: Uint8Array.of(0x90 | channel, note, velocity) })
        : [];
    });
  }

  #makeUpTicks(theirs: SequencerState | null, next: readonly StampedMessage[], atMs: number): StampedMessage[] {
    const from = this.#tickMs;
    const every = this.#tickEveryMs;
    if (from === null) return [];
    const nextTick = next.find(({ bytes }) => bytes[0] === CLOCK)?.stampMs ?? null;
    const gaps = every === null ? 0 : ((nextTick ?? atMs) - from) / every;
    const byTime = Math.max(0, nextTick === null ? Math.floor(gaps) : Math.round(gaps) - 1);
    const counted = theirs && this.#ticksBehind(theirs);
    const believed = counted !== null && counted >= 0 && Math.abs(counted - byTime) <= 1 + byTime / 2;
    const stopped = theirs?.performing === false && this.#sequencer.performing;
    const count = believed ? counted : stopped ? 0 : byTime;
    if (count > MAX_REPAIRED) return [];
    const step = nextTick === null ? (every ?? 0) : (nextTick - from) / (count + 1);
    return evenly(count, from, step).map((stampMs) => ({ stampMs, bytes: Uint8Array.of(CLOCK) }));
  }

  /** How many ticks we are behind the sender; null if the counts aren't comparable. */
  #ticksBehind(theirs: SequencerState): number | null {
    const ours = this.#sequencer;
    if (!ours.performing) return null;
    // The position of a stopped sequencer is that of its next tick.
    if (!theirs.performing) return theirs.position - ours.position - (ours.downbeat ? 1 : 0);
    return theirs.downbeat ? theirs.position - ours.position + (ours.downbeat ? 0 : 1) : null;
  }

  #makeUpTransport(theirs: SequencerState | null, atMs: number): StampedMessage[] {
    if (!theirs) return [];
    const ours = this.#sequencer;
    // No stop needed if the start was never delivered.
    const stop = ours.performing && !this.#joining ? [Uint8Array.of(0xfc)] : [];
    if (!theirs.performing) {
      const stands = ours.performing ? afterCommand(ours, Uint8Array.of(0xfc)) : ours;
      this.#sequencer = theirs;
      const place = stands.position === theirs.position ? [] : [songPosition(theirs.position)];
      this.#joining = false;
      return at(atMs, ...stop, ...place);
    }
    if (ours.performing && ours.downbeat === theirs.downbeat && ours.position === theirs.position) return [];
    this.#sequencer = theirs;
    if (theirs.downbeat) {
      this.#joining = true;
      return at(atMs, ...stop);
    }
    const begin = theirs.position === 0 ? [Uint8Array.of(0xfa)] : [songPosition(theirs.position), Uint8Array.of(0xfb)];
    return at(atMs, ...stop, ...begin);
  }

  #makeUpQuarters(theirs: TimecodeState | null, atMs: number): StampedMessage[] {
    if (theirs?.fullFrame) {
      const known = this.#timecode.fullFrame;
      const same = known?.every((byte, i) => i === 2 || byte === theirs.fullFrame?.[i]);
      return same ? [] : at(atMs, theirs.fullFrame);
    }
    const { piece } = this.#timecode;
    const from = this.#quarterMs;
    const every = this.#quarterEveryMs;
    if (!theirs || theirs.piece === null || piece === null || from === null || every === null) return [];
    if (atMs - from > QUARTERS_STALE_MS) return [];
    const direction = theirs.backwards ? -1 : 1;
    const count = (direction * (theirs.piece - piece) + 8) & 7;
    return evenly(count, from, every).map((stampMs, i) => {
      const id = (piece + direction * (i + 1) + 8) & 7;
      return {
        stampMs: Math.min(stampMs, atMs),
        bytes: Uint8Array.of(QUARTER_FRAME, (id << 4) | (theirs.nibbles[id] ?? 0)),
      };
    });
  }
}

function evenly(count: number, fromMs: number, stepMs: number): number[] {
  return Array.from({ length: count }, (_, i) => fromMs + (i + 1) * stepMs);
}

/** Interval between two ticks, if it can be a tempo; a second without ticks is a pause. */
function spacing(beforeMs: number | null, ms: number): number | null {
  const gap = beforeMs === null ? 0 : ms - beforeMs;
  return gap > 0 && gap < 1000 ? gap : null;
}

function songPosition(ticks: number): Uint8Array {
  const sixteenths = Math.round(ticks / TICKS_PER_SIXTEENTH) % 2 ** 14;
  return Uint8Array.of(0xf2, sixteenths & 0x7f, sixteenths >> 7);
}

function at(stampMs: number, ...commands: Uint8Array[]): StampedMessage[] {
  return commands.map((bytes) => ({ stampMs, bytes }));
}
