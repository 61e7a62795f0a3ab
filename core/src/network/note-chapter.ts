/** A note played or released since the checkpoint, in its current state. */
export interface NoteStand {
  /** 0..15. */
  channel: number;
  note: number;
  /** 0: released. */
  velocity: number;
  /** Played so recently that it is worth replaying late. */
  fresh: boolean;
}

const HEADER_BYTES = 3;
const MAX_LOGS = 127;
const NOTES_IN_TOC = 0x08;

/**
 * Channel journals with Chapter N for the channels that need one: sounding and released notes, so that no note hangs.
 * The S bits are never set: reading a journal once too often is harmless. Source: RFC 6295, appendix A.6.
 */
export function writeChannelJournals(stands: readonly NoteStand[]): { bytes: number[]; count: number } {
  const channels = [...new Set(stands.map(({ channel }) => channel))].sort((a, b) => a - b);
  const bytes = channels.flatMap((channel) => {
    const chapter = chapterN(stands.filter((one) => one.channel === channel));
    const length = HEADER_BYTES + chapter.length;
    return [(channel << 3) | (length >> 8), length & 0xff, NOTES_IN_TOC, ...chapter];
  });
  return { bytes, count: channels.length };
}

function chapterN(stands: readonly NoteStand[]): number[] {
  const on = stands.filter(({ velocity }) => velocity > 0).slice(-MAX_LOGS);
  const off = stands.filter(({ velocity }) => velocity === 0).map(({ note }) => note);
  const low = off.length > 0 ? Math.min(...off) >> 3 : 15;
  const high = off.length > 0 ? Math.max(...off) >> 3 : 1;
  const offBits = off.length > 0 ? new Array<number>(high - low + 1).fill(0) : [];
  for (const note of off) offBits[(note >> 3) - low] = (offBits[(note >> 3) - low] ?? 0) | (0x80 >> (note & 7));
  const logs = on.flatMap(({ note, velocity, fresh }) => [note, (fresh ? 0x80 : 0) | velocity]);
  return [on.length, (low << 4) | high, ...logs, ...offBits];
}

/** The notes of a channel journal; null if it is truncated. */
export function readChannelNotes(journal: Uint8Array): NoteStand[] | null {
  const channel = ((journal[0] ?? 0) >> 3) & 0x0f;
  const present = journal[2] ?? 0;
  let at = HEADER_BYTES;
  if (present & 0x80) at += 3; // Chapter P: program change
  if (present & 0x40) at += 1 + 2 * (((journal[at] ?? 0) & 0x7f) + 1); // Chapter C: controllers
  if (present & 0x20) at += Math.max(2, (((journal[at] ?? 0) & 3) << 8) | (journal[at + 1] ?? 0)); // Chapter M
  if (present & 0x10) at += 2; // Chapter W: pitch wheel
  if (!(present & NOTES_IN_TOC)) return [];
  const [length = 0, range = 0] = journal.subarray(at);
  const [low, high] = [range >> 4, range & 0x0f];
  const count = (length & 0x7f) === MAX_LOGS && low === 15 && high === 0 ? MAX_LOGS + 1 : length & 0x7f;
  const offBytes = low <= high ? high - low + 1 : 0;
  const logs = at + 2;
  if (logs + 2 * count + offBytes > journal.length) return null;
  const on = Array.from({ length: count }, (_, i): NoteStand => {
    const [note = 0, velocity = 0] = journal.subarray(logs + 2 * i);
    return { channel, note: note & 0x7f, velocity: velocity & 0x7f, fresh: velocity > 0x7f };
  });
  const off = Array.from({ length: 8 * offBytes }, (_, i) => i).filter(
    (i) => ((journal[logs + 2 * count + (i >> 3)] ?? 0) & (0x80 >> (i & 7))) !== 0,
  );
  return [...on, ...off.map((i): NoteStand => ({ channel, note: low * 8 + i, velocity: 0, fresh: false }))];
}

/** The note that a command plays or releases; null for other commands. */
export function noteOf(bytes: Uint8Array): Omit<NoteStand, 'fresh'> | null {
  const [status = 0, note = 0, velocity = 0] = bytes;
  const kind = status & 0xf0;
  if (kind !== 0x80 && kind !== 0x90) return null;
  return { channel: status & 0x0f, note, velocity: kind === 0x90 ? velocity : 0 };
}
