import { compareLandings, type LandingComparison } from '@metronomo/core';
import { median } from 'd3-array';
import { otherBuffers } from '../store/conditions';
import type { Take, TakeLine } from '../store/records';

/** What was so in the first take and what in the second. */
export interface Condition {
  what: string;
  first: string;
  second: string;
  differs: boolean;
}

/** One follower in two takes. */
export interface LineComparison {
  name: string;
  gearId: string | null;
  first: TakeLine;
  second: TakeLine;
  /** How much later the second is; null where it cannot be said, and why. */
  shift: LandingComparison | null;
  problem: string | null;
  /** How far the middle wanders from take to take by itself, ms; null where too few takes tell. */
  usualMs: number | null;
  /** More than the chance within the takes, and more than it wanders by itself; null where it cannot be said. */
  real: boolean | null;
  /** What of it comes from the offset that was changed, ms. */
  byOffsetMs: number;
}

const FEWEST_TAKES = 4;
const NORMAL_SCALE = 1.4826;
/** Beyond so many of its own spreads it is not chance: 95 in 100. */
const NORMAL_95 = 1.96;

/** The lines of both takes that are of the same gear. `others`: takes of the same rig, to tell what is usual. */
export function compareTakes(first: Take, second: Take, others: readonly Take[]): LineComparison[] {
  return first.lines.flatMap((line) => {
    const same = second.lines.find(({ gearId, name }) => (line.gearId ? gearId === line.gearId : name === line.name));
    return same ? [compareLines(line, same, usualOf(line.gearId, [first, second], others))] : [];
  });
}

function compareLines(first: TakeLine, second: TakeLine, usualMs: number | null): LineComparison {
  const base = { name: second.name, gearId: second.gearId, first, second, usualMs };
  const byOffsetMs = second.offsetMs - first.offsetMs;
  try {
    const shift = compareLandings(valuesOf(first), valuesOf(second));
    // What the offset explains is no riddle: the rest is asked.
    const unexplained = shift.shiftMs - byOffsetMs;
    const beyondUsual = usualMs === null || Math.abs(unexplained) > NORMAL_95 * Math.SQRT2 * usualMs;
    const [low, high] = shift.ci95Ms;
    const beyondChance = byOffsetMs === 0 ? shift.told : low > byOffsetMs || high < byOffsetMs;
    return { ...base, byOffsetMs, shift, problem: null, real: beyondChance && beyondUsual };
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
    return { ...base, byOffsetMs, shift: null, problem: error.message, real: null };
  }
}

/** Of a chase, each start is one landing. */
function valuesOf({ landings, result }: TakeLine): number[] {
  if (result?.question === 'chase') return result.report.starts.flatMap(({ landsMs }) => landsMs ?? []);
  return landings.map(({ lateMs }) => lateMs);
}

/** The robust spread of its middles, each without its offset, over the takes of the same kind but these two. */
function usualOf(gearId: string | null, [first, second]: [Take, Take], others: readonly Take[]): number | null {
  const middles = others
    .filter(
      ({ id, plan, source }) =>
        id !== first.id && id !== second.id && source === 'live' && plan?.question === first.plan?.question,
    )
    .flatMap(({ lines }) => lines)
    .filter((line) => line.gearId === gearId && gearId !== null && line.report?.believable && !line.moved)
    .map(({ report, offsetMs }) => (report?.medianMs ?? 0) - offsetMs);
  if (middles.length < FEWEST_TAKES) return null;
  const middle = median(middles) ?? 0;
  return NORMAL_SCALE * (median(middles, (one) => Math.abs(one - middle)) ?? 0);
}

/** What the takes were made with, what differs first. */
export function conditions(first: Take, second: Take, gearId: string | null): Condition[] {
  const rows: Condition[] = [];
  const say = (what: string, of: (take: Take) => string | null, differs?: boolean) => {
    const [a, b] = [of(first), of(second)];
    if (a === null && b === null) return;
    rows.push({ what, first: a ?? '—', second: b ?? '—', differs: differs ?? a !== b });
  };
  const line = (take: Take) => take.lines.find((one) => one.gearId === gearId && gearId !== null) ?? take.lines[0];
  const buffers = otherBuffers(first.conditions?.bufferMs, second.conditions?.bufferMs ?? null);
  say('Offset in the hub', (take) => `${(line(take)?.offsetMs ?? 0).toFixed(2)} ms`);
  say('Offset in its own menu', (take) => line(take)?.ownOffset?.toString() ?? null);
  say('Port', (take) => line(take)?.wiredTo ?? null);
  say('Tempo', (take) => (take.bpm === null ? null : `${take.bpm.toFixed(2)} BPM`));
  say('Played by', (take) => (take.drive === 'notes' ? 'notes from the hub' : take.drive === 'clock' ? 'clock' : null));
  say('Sound came in by', (take) => take.input || null);
  say('Input', (take) => `${(line(take)?.channel ?? 0) + 1}`);
  say('Sample rate', (take) => (take.sampleRate > 0 ? `${take.sampleRate} Hz` : null));
  say(
    'Buffers',
    (take) => (take.conditions?.bufferMs == null ? null : `${take.conditions.bufferMs.toFixed(0)} ms`),
    buffers,
  );
  say('The sound broke off', (take) => (take.gaps ? `${take.gaps}×` : null));
  say('Version', (take) => take.conditions?.version ?? null);
  return rows.sort((a, b) => Number(b.differs) - Number(a.differs));
}
