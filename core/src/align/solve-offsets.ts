import { group } from 'd3-array';

/** One follower's measurement. */
export interface Reading {
  id: string;
  /** Median landing, + is late. */
  lateMs: number;
  /** The offset during the measurement; minus is earlier. */
  currentOffsetMs: number;
  /** The step its offset can be set in. */
  resolutionMs?: number;
  /** The earliest offset it accepts. */
  earliestMs?: number;
  /** The latest offset it accepts. */
  latestMs?: number;
  /** Half the width of its 95% interval; smaller corrections can't be told from noise. */
  doubtMs?: number;
  /** Keep its offset. */
  locked?: boolean;
  /** Followers with the same one are on one wire and share one offset. */
  wire?: string;
  /**
   * It corrects what the wire's offset leaves with an offset of its own, so the others on the wire are solved without
   * it. Its result is the total it needs: the wire's offset and its own change. Locked, or as the target, it keeps the
   * wire's offset where it is.
   */
  correctsItself?: boolean;
}

/** Why a follower can't get closer. */
export type OffsetLimit = 'locked' | 'earliest' | 'latest' | 'resolution' | 'doubt' | 'wire';

export interface Alignment {
  /** `expectedMs`: the landing to expect with the new offset, + is late. */
  offsets: { id: string; offsetMs: number; expectedMs: number }[];
  /** Pre-roll: how long everyone waits at play, so that the earliest can be early. */
  preRollMs: number;
  /** The landing to align to, + is late. */
  meetMs: number;
  /** What limits each follower that can't reach the target, by id. */
  limits: Record<string, OffsetLimit>;
}

export type AlignTarget = 'grid' | 'latest' | { id: string };

/** Differences below this count as zero. */
const SAME_MS = 1e-9;

/**
 * The offsets that align everyone. `grid`: to the beat. `latest`: to the slowest, sending nobody earlier than now. `{
 * id }`: to that follower, which keeps its offset. The landing moves by as much as the offset; a follower that wouldn't
 * come closer isn't moved. Those that share a wire move together, so that the worst of them is as close as possible.
 * @throws RangeError if a reading is not a number, or `id` is not among them.
 */
export function solveOffsets(readings: Reading[], target: AlignTarget): Alignment {
  for (const { id, lateMs, currentOffsetMs } of readings)
    if (!Number.isFinite(lateMs) || !Number.isFinite(currentOffsetMs))
      throw new RangeError(`No measurement for ${id}. Measure it first.`);
  const meetMs = meetingPoint(readings, target);
  const limits: Record<string, OffsetLimit> = {};
  const wires = group(readings, ({ id, wire }) => wire ?? `alone ${id}`);
  const offsets = readings.map((reading) => {
    const { id, lateMs, currentOffsetMs, wire } = reading;
    const onWire = wires.get(wire ?? `alone ${id}`) ?? [reading];
    const sharing = reading.correctsItself ? [reading] : onWire.filter((other) => !other.correctsItself);
    const one = sharing.length > 1 ? together(sharing, target, meetMs) : reading;
    const holds = (other: Reading) => other.locked === true || (typeof target === 'object' && other.id === target.id);
    const stays = reading.correctsItself ? holds(reading) : onWire.some(holds);
    // Round down: rounding up could make this device later than the slowest and shift the target.
    const round = target === 'latest' ? roundDown : Math.round;
    const wantedMs = towards(one, meetMs, round);
    const nearer = Math.abs(one.lateMs + wantedMs - one.currentOffsetMs - meetMs) < Math.abs(one.lateMs - meetMs);
    const offsetMs = !stays && nearer ? wantedMs : one.currentOffsetMs;
    const expectedMs = lateMs + offsetMs - currentOffsetMs;
    const limit = limitOf(reading, offsetMs, expectedMs - meetMs);
    const byWire = sharing.length > 1 || (stays && !holds(reading));
    if (limit) limits[id] = byWire && limit !== 'locked' ? 'wire' : limit;
    return { id, offsetMs, expectedMs };
  });
  return { offsets, preRollMs: Math.max(0, ...offsets.map(({ offsetMs }) => -offsetMs)), meetMs, limits };
}

/**
 * A wire as one follower, within everyone's limits: as late as the middle between its earliest and its latest. Aligning
 * to the slowest, as late as its latest, which mustn't become later than the slowest of all.
 */
function together(sharing: readonly Reading[], target: AlignTarget, meetMs: number): Reading {
  const [first] = sharing;
  const kept = sharing.find(({ locked }) => locked) ?? first;
  const currentOffsetMs = kept?.currentOffsetMs ?? 0;
  const lateness = sharing.map((one) => one.lateMs - one.currentOffsetMs + currentOffsetMs);
  const lateMs = target === 'latest' ? Math.max(...lateness) : (Math.min(...lateness) + Math.max(...lateness)) / 2;
  const isNear = sharing.every(({ doubtMs = 0 }, i) => Math.abs((lateness[i] ?? 0) - meetMs) <= doubtMs);
  return {
    id: kept?.id ?? '',
    lateMs,
    currentOffsetMs,
    resolutionMs: Math.max(...sharing.map(({ resolutionMs = 0 }) => resolutionMs)),
    earliestMs: Math.max(...sharing.map(({ earliestMs = -Infinity }) => earliestMs)),
    latestMs: Math.min(...sharing.map(({ latestMs = Infinity }) => latestMs)),
    doubtMs: isNear ? Infinity : 0,
    locked: sharing.some(({ locked }) => locked),
  };
}

function meetingPoint(readings: Reading[], target: AlignTarget): number {
  if (target === 'grid') return 0;
  if (target === 'latest') return readings.reduce((latest, { lateMs }) => Math.max(latest, lateMs), -Infinity);
  const chosen = readings.find(({ id }) => id === target.id);
  if (!chosen) throw new RangeError(`No measurement for ${target.id}, so nothing can be aligned to it.`);
  return chosen.lateMs;
}

function towards(reading: Reading, meetMs: number, round: (steps: number) => number): number {
  const { lateMs, currentOffsetMs, resolutionMs, doubtMs = 0, earliestMs = -Infinity, latestMs = Infinity } = reading;
  const awayMs = lateMs - meetMs;
  // Within its uncertainty of the target; moving it would chase noise.
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
