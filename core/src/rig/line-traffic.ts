import { cablesFrom, gearOf, HUB_ID, socketOf, type Cable, type RigPlan } from './rig';

/** 31 250 baud, ten bits a byte (MIDI 1.0 Detailed Specification). */
const DIN_BYTES_PER_SECOND = 3125;
const DIN_BYTE_MS = 0.32;
const TICKS_PER_BEAT = 24;
/** A quarter frame is two bytes, four a frame, 30 frames a second at the most. */
const TIMECODE_BYTES_PER_SECOND = 2 * 4 * 30;
const NOTE_BYTES = 3;
/** As many notes as two hands play at once. */
const CHORD_NOTES = 10;

export interface Traffic {
  bytesPerSecond: number;
  /** Of what the line can carry, 0..1 and above. */
  load: number;
  /** The longest that a tick may wait for what is before it on the line, ms. */
  worstWaitMs: number;
}

/**
 * What runs down a DIN cable at a tempo, and how long a tick waits behind a chord: plain arithmetic, 320 us a byte, ten
 * notes of three bytes 9.6 ms. Real-time bytes may fall between the bytes of a message but not between those on the wire
 * before they were handed over, so the wait counts whole messages. Null for other links, whose speed is no matter.
 */
export function lineTraffic(rig: RigPlan, cable: Cable, bpm: number): Traffic | null {
  if (socketOf(rig, cable.from)?.link !== 'din') return null;
  const target = gearOf(rig, cable.to.gearId);
  const clock = target?.takes === 'clock' ? (bpm / 60) * TICKS_PER_BEAT : 0;
  const timecode = target?.takes === 'timecode' ? TIMECODE_BYTES_PER_SECOND : 0;
  const notes = cable.notesPerSecond * NOTE_BYTES;
  const bytesPerSecond = clock + timecode + notes;
  const chord = Math.min(CHORD_NOTES, cable.notesPerSecond);
  const worstWaitMs = chord * NOTE_BYTES * DIN_BYTE_MS + (timecode > 0 ? 2 * DIN_BYTE_MS : 0);
  return { bytesPerSecond, load: bytesPerSecond / DIN_BYTES_PER_SECOND, worstWaitMs };
}

/** How many pieces of gear a source sends its clock to, by cables of its own. */
export function destinationsOf(rig: RigPlan, gearId: string): number {
  const targets = cablesFrom(rig, gearId).filter(({ from, to }) => {
    const takes = gearOf(rig, to.gearId);
    return socketOf(rig, from)?.direction === 'out' && (takes?.takes !== 'nothing' || to.gearId === HUB_ID);
  });
  return new Set(targets.map(({ to }) => to.gearId)).size;
}
