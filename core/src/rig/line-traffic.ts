import { cablesFrom, gearOf, HUB_ID, socketOf, type Cable, type RigPlan } from './rig';

/** 31,250 baud, ten bits per byte (MIDI 1.0 Detailed Specification). */
const DIN_BYTES_PER_SECOND = 3125;
const DIN_BYTE_MS = 0.32;
const TICKS_PER_BEAT = 24;
/** Two bytes per quarter frame, four quarter frames per frame, at most 30 fps. */
const TIMECODE_BYTES_PER_SECOND = 2 * 4 * 30;
const NOTE_BYTES = 3;
/** As many notes as two hands can play at once. */
const CHORD_NOTES = 10;

export interface Traffic {
  bytesPerSecond: number;
  /** Share of the line's capacity; above 1 is overload. */
  load: number;
  /** Longest delay of a tick behind other messages on the line, ms. */
  worstWaitMs: number;
}

/**
 * Load of a DIN cable at a tempo, and how long a tick waits behind a chord: plain arithmetic, 320 us per byte, ten
 * three-byte notes 9.6 ms. Real-time bytes may interrupt a message, but not one already handed to the port, so the wait
 * counts whole messages. Null for other links, whose speed doesn't matter.
 */
export function lineTraffic(rig: RigPlan, cable: Cable, bpm: number): Traffic | null {
  if (socketOf(rig, cable.from)?.link !== 'din') return null;
  const target = gearOf(rig, cable.to.gearId);
  const clock = target?.syncsTo === 'clock' ? (bpm / 60) * TICKS_PER_BEAT : 0;
  const timecode = target?.syncsTo === 'timecode' ? TIMECODE_BYTES_PER_SECOND : 0;
  const notes = cable.notesPerSecond * NOTE_BYTES;
  const bytesPerSecond = clock + timecode + notes;
  const chord = Math.min(CHORD_NOTES, cable.notesPerSecond);
  const worstWaitMs = chord * NOTE_BYTES * DIN_BYTE_MS + (timecode > 0 ? 2 * DIN_BYTE_MS : 0);
  return { bytesPerSecond, load: bytesPerSecond / DIN_BYTES_PER_SECOND, worstWaitMs };
}

/** How many devices a source feeds over cables of its own. */
export function destinationsOf(rig: RigPlan, gearId: string): number {
  const targets = cablesFrom(rig, gearId).filter(({ from, to }) => {
    const target = gearOf(rig, to.gearId);
    return socketOf(rig, from)?.direction === 'out' && (target?.syncsTo !== 'nothing' || to.gearId === HUB_ID);
  });
  return new Set(targets.map(({ to }) => to.gearId)).size;
}
