/** What one follower's last take said. */
export interface Reading {
  id: string;
  /** Where it landed, + is late. */
  lateMs: number;
  /** The offset that was in force when it was measured; minus is earlier. */
  currentOffsetMs: number;
  /** The step in which its offset can be set. */
  resolutionMs?: number;
  /** The earliest offset that it can be given. */
  earliestMs?: number;
}

export interface Alignment {
  /** `expectedMs`: where the follower should land with its new offset, + is late. */
  offsets: { id: string; offsetMs: number; expectedMs: number }[];
  /** How long everybody waits at play so that the earliest can be early. */
  preRollMs: number;
}

/**
 * The offsets that bring everybody together. `grid`: onto the beat. `latest`: with the slowest, nobody sent earlier than
 * now. `{ id }`: with that one, which stays as it is. The landing moves by as much as the offset does.
 * @throws RangeError when a reading is not a number, or `id` is not among them.
 */
export function solveOffsets(readings: Reading[], target: 'grid' | 'latest' | { id: string }): Alignment {
  for (const { id, lateMs, currentOffsetMs } of readings)
    if (!Number.isFinite(lateMs) || !Number.isFinite(currentOffsetMs))
      throw new RangeError(`The reading of ${id} is not a number: it was not measured.`);
  const meetMs = meetingPoint(readings, target);
  const offsets = readings.map((reading) => {
    const offsetMs =
      typeof target === 'object' && reading.id === target.id ? reading.currentOffsetMs : towards(reading, meetMs);
    return { id: reading.id, offsetMs, expectedMs: reading.lateMs + offsetMs - reading.currentOffsetMs };
  });
  return { offsets, preRollMs: Math.max(0, ...offsets.map(({ offsetMs }) => -offsetMs)) };
}

function meetingPoint(readings: Reading[], target: 'grid' | 'latest' | { id: string }): number {
  if (target === 'grid') return 0;
  if (target === 'latest') return Math.max(...readings.map(({ lateMs }) => lateMs));
  const chosen = readings.find(({ id }) => id === target.id);
  if (!chosen) throw new RangeError(`There is no reading of ${target.id} to align with.`);
  return chosen.lateMs;
}

function towards({ lateMs, currentOffsetMs, resolutionMs, earliestMs }: Reading, meetMs: number): number {
  const wanted = Math.max(currentOffsetMs + meetMs - lateMs, earliestMs ?? -Infinity);
  if (!resolutionMs) return wanted;
  const stepped = Math.round(wanted / resolutionMs) * resolutionMs;
  return stepped < (earliestMs ?? -Infinity) ? stepped + resolutionMs : stepped;
}
