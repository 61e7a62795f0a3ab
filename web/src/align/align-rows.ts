import {
  MAX_OFFSET_MS,
  ownUnitMs,
  poolTakes,
  solveOffsets,
  type Alignment,
  type AlignTarget,
  type NaturalLateness,
  type OffsetLimit,
  type PooledLateness,
  type Reading,
} from '@metronomo/core';
import { changedSince } from './changed-since';
import { withAudioReturn } from '../store/gear';
import { movesWith } from '../store/rig-plan';
import type { Drive, Gear, Rig, Take, TakeLine } from '../store/records';

/** One follower in Align. Times in ms, + is late. */
export interface AlignRow {
  gear: Gear;
  /** The latest reliable measurement with the current offset. */
  now: TakeLine | null;
  /**
   * Of the earlier ones with another offset, the one furthest off; of all, while the current offset isn't measured yet.
   */
  before: TakeLine | null;
  /** The pooled result of its last takes, without offset; null if there is none. */
  known: PooledLateness | null;
  /** The result of takes by notes, for a device usually measured by its own pattern; the two may differ. */
  byNotes: PooledLateness | null;
  /** Its landing with the current offset according to that. */
  lateMs: number | null;
  /** The landing to aim for. */
  meetMs: number;
  /** The offset that achieves it: in the hub, or the hub's and the change of the device's own together. */
  wantedMs: number | null;
  /**
   * What the hub sends once all is applied. A device with an offset of its own corrects what remains: it gets no hub
   * offset where it is alone on its wire, and the wire's offset where others share it.
   */
  hubMs: number;
  /** No other device moves with the hub's offset for it. */
  isAlone: boolean;
  limit: OffsetLimit | null;
  locked: boolean;
  /** Why the measurement is out of date, if there is no current one. */
  stale: string | null;
}

export interface Plan {
  rows: AlignRow[];
  /** Pre-roll once all of it is applied. */
  preRollMs: number;
  /** Why nothing can be aligned; null if it can. */
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
 * The plan for every follower with an audio return, from its takes, newest first. Takes of other experiments measure
 * landings only incidentally and don't count. `bufferMs`: as in `changedSince`. Takes that
 * began after `freshFrom`, epoch ms, count whatever the buffer is now: it may have grown by itself.
 */
export function planOffsets(
  rig: Rig,
  takes: readonly Take[],
  { bufferMs = null, freshFrom = Infinity }: { bufferMs?: number | null; freshFrom?: number } = {},
): Plan {
  const { target, locked } = rig.align;
  const followers = withAudioReturn(rig.gear).map((gear) => {
    const believable = reliableOf(takes, gear);
    const changed = believable.map(({ take, line }) =>
      changedSince(take, line, rig, take.startedAt >= freshFrom ? null : bufferMs),
    );
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
    const wantedMs = solved?.offsets.find(({ id }) => id === gear.id)?.offsetMs ?? null;
    return {
      gear,
      now: lines[at] ?? null,
      before: furthestOff(lines.slice(at + 1).filter((line) => !inForce(line))),
      known,
      byNotes,
      lateMs: known && known.lateMs + gear.offsetMs,
      meetMs: solved?.meetMs ?? 0,
      wantedMs,
      isAlone: movesWith(rig, gear).length === 1,
      hubMs:
        gear.offset.where === 'hub' ? (wantedMs ?? gear.offsetMs) : hubOffsetBeside(rig, gear, solved?.offsets ?? []),
      limit: (solved?.limits ?? NO_LIMITS)[gear.id] ?? null,
      locked: locked.includes(gear.id),
      stale: known ? null : (changed[0] ?? null),
    };
  });
  return {
    rows,
    preRollMs: Math.max(0, ...rows.map(({ hubMs }) => -hubMs)),
    problem: lacking ? missingFor(rig, target) : null,
  };
}

/** The hub's offset for a device with one of its own, when all is applied. */
function hubOffsetBeside(rig: Rig, gear: Gear, solved: Alignment['offsets']): number {
  const others = movesWith(rig, gear).filter(({ id }) => id !== gear.id);
  if (others.length === 0) return 0;
  const inHub = new Set(others.filter(({ offset }) => offset.where === 'hub').map(({ id }) => id));
  return solved.find(({ id }) => inHub.has(id))?.offsetMs ?? gear.offsetMs;
}

/** The "before" to show is the original error, not a small step after it. */
function furthestOff(lines: readonly TakeLine[]): TakeLine | null {
  const off = ({ report }: TakeLine) => Math.abs(report?.medianMs ?? 0);
  return lines.reduce<TakeLine | null>((most, line) => (most && off(most) >= off(line) ? most : line), null);
}

function missingFor({ gear }: Rig, target: AlignTarget): string {
  const name = typeof target === 'object' ? gear.find(({ id }) => id === target.id)?.name : undefined;
  return name
    ? `Align to is set to ${name}, but ${name} has no reliable take yet. Measure it first.`
    : 'The device to align to is no longer in this rig. Choose another, or the beat.';
}

/** How it is driven for a take: by clock if it follows one, else by notes. */
export function driveOf({ syncsTo }: Gear): Drive {
  return syncsTo === 'nothing' ? 'notes' : 'clock';
}

function reliableOf(takes: readonly Take[], gear: Gear): Measured[] {
  return takes.flatMap((take) =>
    // The hub's offset didn't move what a program played.
    (take.plan || take.playedBy ? [] : take.lines)
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
    ...(gear.portId !== null && { wire: `${gear.portId} ${gear.syncsTo}` }),
    ...(!inHub && { correctsItself: true }),
    ...(inHub && { earliestMs: -MAX_OFFSET_MS, latestMs: MAX_OFFSET_MS }),
  };
}

/** Status of a row. `type`: its offset has to be entered on the device. */
export type AlignStatus = 'unmeasured' | 'stale' | 'contradicted' | 'apply' | 'type' | 'applied' | 'there' | 'limited';

export function alignStatus(row: AlignRow, toleranceMs: number): AlignStatus {
  const { gear, known, lateMs, meetMs, wantedMs, hubMs, now, limit, locked } = row;
  if (known === null || lateMs === null) return row.stale ? 'stale' : 'unmeasured';
  if (known.contradictedBy) return 'contradicted';
  const isOwn = gear.offset.where === 'own';
  // Alone on its wire, a device with its own offset has to be entered to clear the hub's; a shared wire is applied with
  // the others on it.
  const sent = isOwn ? (row.isAlone ? [gear.offsetMs, hubMs] : [hubMs]) : [gear.offsetMs];
  const near = sent.every((offsetMs) => isNear(row, known.lateMs + offsetMs - meetMs, toleranceMs));
  const moves = !locked && wantedMs !== null && sent.some((ms) => Math.abs(wantedMs - ms) > SAME_OFFSET_MS);
  if (!near && moves) return isOwn ? 'type' : 'apply';
  if (!near && limit !== null) return 'limited';
  const isSent = sent.every((ms) => Math.abs(gear.offsetMs - ms) < SAME_OFFSET_MS);
  return now && isSent ? 'there' : 'applied';
}

/** Within half the tolerance, or with the target inside its interval: as close as can be told. */
function isNear({ known }: AlignRow, awayMs: number, toleranceMs: number): boolean {
  return Math.abs(awayMs) <= Math.max(toleranceMs / 2, known?.doubtMs ?? 0);
}

/** Can be moved by the hub right now. */
export function needsApplying(row: AlignRow, toleranceMs: number): boolean {
  return alignStatus(row, toleranceMs) === 'apply';
}

/** The largest distance from the target; null while nothing is measured. */
export function worstOf(rows: readonly AlignRow[]): { row: AlignRow; awayMs: number } | null {
  const away = rows.flatMap((row) => (row.lateMs === null ? [] : [{ row, awayMs: row.lateMs - row.meetMs }]));
  return away.reduce<(typeof away)[number] | null>(
    (worst, one) => (worst && Math.abs(worst.awayMs) >= Math.abs(one.awayMs) ? worst : one),
    null,
  );
}
