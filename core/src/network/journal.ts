import { readChannelNotes, writeChannelJournals, type NoteStand } from './note-chapter';
import { lastPiece, NO_TIMECODE, type SequencerState, type TimecodeState } from './sequencer-state';

/** The sync and note chapters of a journal; the rest is skipped. */
export interface Journal {
  /** Checkpoint: the first packet whose loss the journal repairs. */
  checkpoint: number;
  sequencer: SequencerState | null;
  timecode: TimecodeState | null;
  notes: NoteStand[];
}

export interface JournalToWrite extends Journal {
  /** Whether the previous packet contained timecode; only then does its loss matter. */
  recentTimecode: boolean;
}

const HEADER_BYTES = 3;
const SYSTEM_HEADER_BYTES = 2;

/**
 * The recovery journal of a packet: the header, a system journal with Chapter Q (sequencer) and Chapter F (timecode) if
 * needed, and channel journals with Chapter N (notes). Source: RFC 6295, 5 and appendices B.3 and B.4.
 */
export function writeJournal({ checkpoint, sequencer, timecode, recentTimecode, notes }: JournalToWrite): Uint8Array {
  const chapters = [...(sequencer ? chapterQ(sequencer) : []), ...(timecode ? chapterF(timecode, recentTimecode) : [])];
  const single = sequencer || (timecode && recentTimecode) ? 0 : 0x80;
  const channels = writeChannelJournals(notes);
  const allSingle = channels.count > 0 ? 0 : single;
  const total = channels.count > 0 ? 0x20 | (channels.count - 1) : 0;
  const header = [allSingle | (chapters.length > 0 ? 0x40 : 0) | total, checkpoint >> 8, checkpoint & 0xff];
  if (chapters.length === 0) return Uint8Array.from([...header, ...channels.bytes]);
  const length = SYSTEM_HEADER_BYTES + chapters.length;
  const present = single | (sequencer ? 0x10 : 0) | (timecode ? 0x08 : 0);
  return Uint8Array.from([...header, present | (length >> 8), length & 0xff, ...chapters, ...channels.bytes]);
}

/**
 * The S bit is never set, even where the chapter says nothing about the previous packet: reading it once too often is
 * harmless, and a widely used dissector mistakes that bit for the one that announces time tools.
 */
function chapterQ({ performing, downbeat, position }: SequencerState): number[] {
  const placed = position > 0;
  const flags = (performing ? 0x40 : 0) | (downbeat ? 0x20 : 0) | (placed ? 0x10 : 0);
  return placed ? [flags | ((position >> 16) & 7), (position >> 8) & 0xff, position & 0xff] : [flags];
}

function chapterF({ fullFrame, nibbles, whole, piece, backwards }: TimecodeState, recent: boolean): number[] {
  const header = (recent ? 0 : 0x80) | (backwards ? 0x08 : 0);
  // COMPLETE holds a full frame, or the last complete set of quarter frames; PARTIAL the set in progress.
  if (fullFrame) return [header | 0x40 | lastPiece(backwards), ...fullFrame.subarray(5, 9)];
  const underWay = piece !== null && piece !== lastPiece(backwards);
  const point = underWay ? piece : lastPiece(backwards);
  const flags = header | (whole ? 0x50 : 0) | (underWay ? 0x20 : 0) | point;
  return [flags, ...(whole ? pairs(whole) : []), ...(underWay ? pairs(nibbles) : [])];
}

function pairs(nibbles: readonly number[]): number[] {
  return [0, 2, 4, 6].map((i) => ((nibbles[i] ?? 0) << 4) | (nibbles[i + 1] ?? 0));
}

/** Null if it is truncated or inconsistent; then all of it is discarded. */
export function readJournal(bytes: Uint8Array): Journal | null {
  const [flags = 0, high = 0, low = 0] = bytes;
  if (bytes.length < HEADER_BYTES) return null;
  const journal: Journal = { checkpoint: (high << 8) | low, sequencer: null, timecode: null, notes: [] };
  let at = HEADER_BYTES;
  if (flags & 0x40) {
    const length = lengthAt(bytes, at);
    if (length < SYSTEM_HEADER_BYTES || at + length > bytes.length) return null;
    if (!readSystem(bytes.subarray(at, at + length), journal)) return null;
    at += length;
  }
  const channels = flags & 0x20 ? (flags & 0x0f) + 1 : 0;
  for (let i = 0; i < channels; i++) {
    const length = lengthAt(bytes, at);
    if (length < HEADER_BYTES || at + length > bytes.length) return null;
    const notes = readChannelNotes(bytes.subarray(at, at + length));
    if (!notes) return null;
    journal.notes.push(...notes);
    at += length;
  }
  return journal;
}

/** The ten-bit length field, at the same place in system and channel journals. */
function lengthAt(bytes: Uint8Array, at: number): number {
  return (((bytes[at] ?? 0) & 3) << 8) | (bytes[at + 1] ?? 0);
}

function readSystem(system: Uint8Array, journal: Journal): boolean {
  const present = system[0] ?? 0;
  let at = SYSTEM_HEADER_BYTES;
  if (present & 0x40) at += chapterDBytes(system, at);
  if (present & 0x20) at += 1; // Chapter V: active sensing
  if (present & 0x10) {
    const flags = system[at] ?? 0;
    const placed = (flags & 0x10) !== 0;
    const position = placed ? ((flags & 7) << 16) | ((system[at + 1] ?? 0) << 8) | (system[at + 2] ?? 0) : 0;
    journal.sequencer = { performing: (flags & 0x40) !== 0, downbeat: (flags & 0x20) !== 0, position };
    at += 1 + (placed ? 2 : 0) + (flags & 0x08 ? 3 : 0);
  }
  if (present & 0x08) {
    const flags = system[at] ?? 0;
    journal.timecode = readChapterF(flags, system.subarray(at + 1));
    at += 1 + (flags & 0x40 ? 4 : 0) + (flags & 0x20 ? 4 : 0);
  }
  return at <= system.length;
}

/** Reset, tune request, song select and undefined commands carry no sync. */
function chapterDBytes(system: Uint8Array, start: number): number {
  const flags = system[start] ?? 0;
  let at = start + 1;
  for (const simple of [0x40, 0x20, 0x10]) if (flags & simple) at++;
  for (const common of [0x08, 0x04]) if (flags & common) at += Math.max(2, lengthAt(system, at));
  for (const realTime of [0x02, 0x01]) if (flags & realTime) at += Math.max(1, (system[at] ?? 0) & 0x1f);
  return at - start;
}

function readChapterF(flags: number, fields: Uint8Array): TimecodeState {
  const complete = flags & 0x40 ? fields.subarray(0, 4) : null;
  const partial = flags & 0x20 ? fields.subarray(complete ? 4 : 0) : null;
  const backwards = (flags & 0x08) !== 0;
  if (complete && !(flags & 0x10)) {
    const place = [0, 1, 2, 3].map((i) => (complete[i] ?? 0) & 0x7f);
    if (!partial) return { ...NO_TIMECODE, fullFrame: Uint8Array.of(0xf0, 0x7f, 0x7f, 1, 1, ...place, 0xf7) };
  }
  const whole = complete && flags & 0x10 ? nibblesOf(complete) : null;
  if (!partial)
    return {
      ...NO_TIMECODE,
      nibbles: whole ?? NO_TIMECODE.nibbles,
      whole,
      piece: whole && lastPiece(backwards),
      backwards,
    };
  const piece = flags & 7;
  const underWay = nibblesOf(partial);
  const nibbles = underWay.map((one, i) => ((backwards ? i >= piece : i <= piece) ? one : (whole?.[i] ?? 0)));
  return { fullFrame: null, nibbles, whole, piece, backwards };
}

function nibblesOf(bytes: Uint8Array): number[] {
  return Array.from({ length: 8 }, (_, i) => (i % 2 === 0 ? (bytes[i >> 1] ?? 0) >> 4 : (bytes[i >> 1] ?? 0) & 0x0f));
}
