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
  /** The latest offset that it can be given. */
  latestMs?: number;
  /** Half of its 95 % interval: what is nearer than that cannot be told from being there. */
  doubtMs?: number;
  /** It stays as it is. */
  locked?: boolean;
}

/** What keeps a follower from being brought nearer. */
export type OffsetLimit = 'locked' | 'earliest' | 'latest' | 'resolution' | 'doubt';

export interface Alignment {
  /** `expectedMs`: where the follower should land with its new offset, + is late. */
  offsets: { id: string; offsetMs: number; expectedMs: number }[];
  /** How long everybody waits at play so that the earliest can be early. */
  preRollMs: number;
  /** Where everybody is to land, + is late. */
  meetMs: number;
  /** What keeps each of those that are not there, by id. */
  limits: Record<string, OffsetLimit>;
}

export type AlignTarget = 'grid' | 'latest' | { id: string };

/** Less than this is nothing left over. */
const SAME_MS = 1e-9;

/**
 * The offsets that bring everybody together. `grid`: onto the beat. `latest`: with the slowest, nobody sent earlier than
 * now. `{ id }`: with that one, which stays as it is. The landing moves by as much as the offset does. Nobody is moved who
 * would not come nearer by it.
 * @throws RangeError when a reading is not a number, or `id` is not among them.
 */
export function solveOffsets(readings: Reading[], target: AlignTarget): Alignment {
  for (const { id, lateMs, currentOffsetMs } of readings)
    if (!Number.isFinite(lateMs) || !Number.isFinite(currentOffsetMs))
      throw new RangeError(`The reading of ${id} is not a number: it was not measured.`);
  const meetMs = meetingPoint(readings, target);
  const limits: Record<string, OffsetLimit> = {};
  const offsets = readings.map((reading) => {
    const { id, lateMs, currentOffsetMs } = reading;
    const stays = reading.locked === true || (typeof target === 'object' && id === target.id);
    // Nobody overtakes the slowest by a step that is too long, or the slowest would be another.
    const round = target === 'latest' ? roundDown : Math.round;
    const wantedMs = towards(reading, meetMs, round);
    const nearer = Math.abs(lateMs + wantedMs - currentOffsetMs - meetMs) < Math.abs(lateMs - meetMs);
    const offsetMs = !stays && nearer ? wantedMs : currentOffsetMs;
    const expectedMs = lateMs + offsetMs - currentOffsetMs;
    const limit = limitOf(reading, offsetMs, expectedMs - meetMs);
    if (limit) limits[id] = limit;
    return { id, offsetMs, expectedMs };
  });
  return { offsets, preRollMs: Math.max(0, ...offsets.map(({ offsetMs }) => -offsetMs)), meetMs, limits };
}

function meetingPoint(readings: Reading[], target: AlignTarget): number {
  if (target === 'grid') return 0;
  if (target === 'latest') return readings.reduce((latest, { lateMs }) => Math.max(latest, lateMs), -Infinity);
  const chosen = readings.find(({ id }) => id === target.id);
  if (!chosen) throw new RangeError(`There is no reading of ${target.id} to align with.`);
  return chosen.lateMs;
}

function towards(reading: Reading, meetMs: number, round: (steps: number) => number): number {
  const { lateMs, currentOffsetMs, resolutionMs, doubtMs = 0, earliestMs = -Infinity, latestMs = Infinity } = reading;
  const awayMs = lateMs - meetMs;
  // It may be there already: moving it would follow chance.
  if (Math.abs(awayMs) <= doubtMs) return currentOffsetMs;
  const wanted = Math.min(latestMs, Math.max(earliestMs, currentOffsetMs - awayMs));
  if (!resolutionMs) return wanted;
  const stepped = round(wanted / resolutionMs) * resolutionMs;
  if (stepped < earliestMs) return stepped + resolutionMs;
  return stepped > latestMs ? stepped - resolutionMs : stepped;
}

function roundDown(steps: number): number {
  return Math.floor(steps + SAME_MS);
}

function limitOf(reading: Reading, offsetMs: number, leftMs: number): OffsetLimit | null {
  const { locked, earliestMs = -Infinity, latestMs = Infinity, resolutionMs = 0, doubtMs = 0 } = reading;
  if (Math.abs(leftMs) <= SAME_MS) return null;
  if (locked) return 'locked';
  const stepMs = Math.max(resolutionMs, SAME_MS);
  if (leftMs > 0 && offsetMs - stepMs < earliestMs) return 'earliest';
  if (leftMs < 0 && offsetMs + stepMs > latestMs) return 'latest';
  return Math.abs(leftMs) <= doubtMs && offsetMs === reading.currentOffsetMs ? 'doubt' : 'resolution';
}
