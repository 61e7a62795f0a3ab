import {
  ownUnitMs,
  poolTakes,
  solveOffsets,
  type AlignTarget,
  type NaturalLateness,
  type OffsetLimit,
  type PooledLateness,
  type Reading,
} from '@metronomo/core';
import { changedSince } from './changed-since';
import { heardOf } from '../store/gear';
import { MOST_OFFSET_MS } from '../store/rig-schema';
import type { Drive, Gear, Rig, Take, TakeLine } from '../store/records';

/** One follower as Align sees it. Times in ms, + is late. */
export interface AlignRow {
  gear: Gear;
  /** The last believable measurement with the offset that is in force now. */
  now: TakeLine | null;
  /** Of those before that with another offset, the one that landed furthest off; where the offset in force is not measured yet, of all. */
  before: TakeLine | null;
  /** What its last takes say together, of where it would land with no offset; null when there is none to go by. */
  known: PooledLateness | null;
  /** What takes by notes say, where it is otherwise measured by its own pattern: that may differ. */
  byNotes: PooledLateness | null;
  /** Where it lands by that with the offset in force. */
  lateMs: number | null;
  /** Where it is to land. */
  meetMs: number;
  /** The offset that brings it there. */
  wantedMs: number | null;
  limit: OffsetLimit | null;
  locked: boolean;
  /** Why what was measured does not hold any more, where nothing else was. */
  stale: string | null;
}

export interface Plan {
  rows: AlignRow[];
  /** How long everybody waits at play once all of it is applied. */
  preRollMs: number;
  /** Why nobody can be brought anywhere; null when they can. */
  problem: string | null;
}

const SAME_OFFSET_MS = 0.005;
const OFFSET_STEP_MS = 0.01;
const RATE = 48_000;
const NO_LIMITS: Record<string, OffsetLimit> = {};

interface Measured {
  take: Take;
  line: TakeLine;
}

/**
 * What to do with everybody who is heard, by the takes, newest first; those that asked something else say where somebody lands only by
 * the way, and do not count. `bufferMs`: as in `changedSince`.
 */
export function planOffsets(rig: Rig, takes: readonly Take[], bufferMs: number | null = null): Plan {
  const { target, locked } = rig.align;
  const followers = heardOf(rig.gear).map((gear) => {
    const believable = believableOf(takes, gear);
    const changed = believable.map(({ take, line }) => changedSince(take, line, rig, bufferMs));
    const valid = believable.filter((_, i) => changed[i] === null);
    const own = valid.filter(({ take }) => (take.drive ?? driveOf(gear)) === driveOf(gear));
    const other = valid.filter((one) => !own.includes(one));
    return { gear, lines: own.map(({ line }) => line), known: pooled(own), byNotes: pooled(other), changed };
  });
  const readings = followers.flatMap(({ gear, known }): Reading[] =>
    known ? [readingOf(gear, known, locked.includes(gear.id), rig.bpm)] : [],
  );
  const lacking = typeof target === 'object' && !readings.some(({ id }) => id === target.id);
  const solved = lacking || readings.length === 0 ? null : solveOffsets(readings, target);
  const rows = followers.map(({ gear, lines, known, byNotes, changed }): AlignRow => {
    const inForce = (line: TakeLine) => Math.abs(line.offsetMs - gear.offsetMs) < SAME_OFFSET_MS;
    const at = lines.findIndex(inForce);
    const offset = solved?.offsets.find(({ id }) => id === gear.id);
    return {
      gear,
      now: lines[at] ?? null,
      before: furthestOff(lines.slice(at + 1).filter((line) => !inForce(line))),
      known,
      byNotes,
      lateMs: known && known.lateMs + gear.offsetMs,
      meetMs: solved?.meetMs ?? 0,
      wantedMs: offset?.offsetMs ?? null,
      limit: (solved?.limits ?? NO_LIMITS)[gear.id] ?? null,
      locked: locked.includes(gear.id),
      stale: known ? null : (changed[0] ?? null),
    };
  });
  // What is typed into gear lets nobody wait.
  const leads = rows.map(({ gear, wantedMs }) => -((gear.offset.where === 'hub' ? wantedMs : null) ?? gear.offsetMs));
  return { rows, preRollMs: Math.max(0, ...leads), problem: lacking ? lackingOf(rig, target) : null };
}

/** Small steps after the first great one are not what somebody wants to see as before. */
function furthestOff(lines: readonly TakeLine[]): TakeLine | null {
  const off = ({ report }: TakeLine) => Math.abs(report?.medianMs ?? 0);
  return lines.reduce<TakeLine | null>((most, line) => (most && off(most) >= off(line) ? most : line), null);
}

function lackingOf({ gear }: Rig, target: AlignTarget): string {
  const name = typeof target === 'object' ? gear.find(({ id }) => id === target.id)?.name : undefined;
  return name
    ? `All are to be with ${name}, and ${name} has no believable take yet: measure it first.`
    : 'The one that all are to be with is not in this rig any more. Choose another, or the beat.';
}

/** How it is made to sound to be measured: by the clock it follows, or by notes where it follows none. */
export function driveOf({ takes }: Gear): Drive {
  return takes === 'nothing' ? 'notes' : 'clock';
}

function believableOf(takes: readonly Take[], gear: Gear): Measured[] {
  return takes.flatMap((take) =>
    (take.plan ? [] : take.lines)
      .filter((line) => line.gearId === gear.id && line.report?.believable && !line.moved)
      .map((line) => ({ take, line })),
  );
}

function pooled(measured: readonly Measured[]): PooledLateness | null {
  const natural = measured.flatMap(({ line: { report, offsetMs } }): NaturalLateness[] =>
    report ? [{ lateMs: report.medianMs - offsetMs, doubtMs: (report.ci95Ms[1] - report.ci95Ms[0]) / 2 }] : [],
  );
  return natural.length > 0 ? poolTakes(natural) : null;
}

function readingOf(gear: Gear, known: PooledLateness, locked: boolean, bpm: number): Reading {
  const { where, unit, step, sampleRate = RATE } = gear.offset;
  const inHub = where === 'hub';
  return {
    id: gear.id,
    lateMs: known.lateMs + gear.offsetMs,
    currentOffsetMs: gear.offsetMs,
    doubtMs: known.doubtMs,
    resolutionMs: inHub ? OFFSET_STEP_MS : step * ownUnitMs(unit, { sampleRate, bpm }),
    locked,
    ...(inHub && { earliestMs: -MOST_OFFSET_MS, latestMs: MOST_OFFSET_MS }),
  };
}

/** How a row stands. `type`: its offset is to be typed into its own menu. */
export type Standing = 'unmeasured' | 'stale' | 'contradicted' | 'apply' | 'type' | 'applied' | 'there' | 'limited';

export function standingOf(row: AlignRow, toleranceMs: number): Standing {
  const { gear, known, lateMs, meetMs, wantedMs, now, limit, locked } = row;
  if (known === null || lateMs === null) return row.stale ? 'stale' : 'unmeasured';
  if (known.contradictedBy) return 'contradicted';
  const near = isNear(row, lateMs - meetMs, toleranceMs);
  const moves = !locked && wantedMs !== null && Math.abs(wantedMs - gear.offsetMs) > SAME_OFFSET_MS;
  if (!near && moves) return gear.offset.where === 'own' ? 'type' : 'apply';
  if (!near && limit !== null) return 'limited';
  return now ? 'there' : 'applied';
}

/**
 * Within half of what the ear forgives, or varying so much that where it is to be lies within its interval: that is as near as it
 * can be told.
 */
function isNear({ known }: AlignRow, awayMs: number, toleranceMs: number): boolean {
  return Math.abs(awayMs) <= Math.max(toleranceMs / 2, known?.doubtMs ?? 0);
}

/** To be moved by the hub, and nothing speaks against it. */
export function needsApplying(row: AlignRow, toleranceMs: number): boolean {
  return standingOf(row, toleranceMs) === 'apply';
}

/** How far the worst of them is from where it is to be; null while nothing is known. */
export function worstOf(rows: readonly AlignRow[]): { row: AlignRow; awayMs: number } | null {
  const away = rows.flatMap((row) => (row.lateMs === null ? [] : [{ row, awayMs: row.lateMs - row.meetMs }]));
  return away.reduce<(typeof away)[number] | null>(
    (worst, one) => (worst && Math.abs(worst.awayMs) >= Math.abs(one.awayMs) ? worst : one),
    null,
  );
}
