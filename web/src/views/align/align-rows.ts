import { solveOffsets } from '@metronomo/core';
import { TOLERANCE_MS } from '../../parts/words';
import type { Gear, Take, TakeLine } from '../../store/records';

/** One follower as Align sees it. */
export interface AlignRow {
  gear: Gear;
  /** The last believable measurement with the offset that is in force now. */
  now: TakeLine | null;
  /** The one before that with another offset; where the offset in force is not measured yet, simply the last one. */
  before: TakeLine | null;
  /** The offset that puts it on the beat by its last measurement; null when there is none. */
  wantedMs: number | null;
}

const SAME_OFFSET_MS = 0.005;
const OFFSET_STEP_MS = 0.01;

/** `takes` newest first. */
export function alignRows(gear: readonly Gear[], takes: readonly Take[]): AlignRow[] {
  const measured = gear.map((one) => ({ gear: one, lines: believableLines(takes, one.id) }));
  const readings = measured.flatMap(({ gear: { id }, lines: [newest] }) =>
    newest?.report
      ? [{ id, lateMs: newest.report.medianMs, currentOffsetMs: newest.offsetMs, resolutionMs: OFFSET_STEP_MS }]
      : [],
  );
  const { offsets } = solveOffsets(readings, 'grid');
  return measured.map(({ gear, lines }) => {
    const inForce = (line: TakeLine) => Math.abs(line.offsetMs - gear.offsetMs) < SAME_OFFSET_MS;
    const at = lines.findIndex(inForce);
    return {
      gear,
      now: lines[at] ?? null,
      before: lines.slice(at + 1).find((line) => !inForce(line)) ?? null,
      wantedMs: offsets.find(({ id }) => id === gear.id)?.offsetMs ?? null,
    };
  });
}

function believableLines(takes: readonly Take[], gearId: string): TakeLine[] {
  return takes.flatMap((take) => take.lines.filter((line) => line.gearId === gearId && line.report?.believable));
}

/**
 * Measured with the offset that is in force, and off the beat by more than half of what the ear forgives. What varies so much
 * that the beat lies within its interval is as near as it can be told.
 */
export function needsApplying({ now, wantedMs }: AlignRow): boolean {
  if (!now?.report || wantedMs === null) return false;
  const { medianMs, ci95Ms } = now.report;
  return Math.abs(medianMs) > TOLERANCE_MS / 2 && !(ci95Ms[0] <= 0 && ci95Ms[1] >= 0);
}
