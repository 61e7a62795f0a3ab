import { ownOffsetFor } from '@metronomo/core';
import type { DeviceOffset, Gear, Rig, Take } from '../store/records';
import { driveOf, type AlignRow } from './align-rows';

/** What to enter for one of a device's further offsets. */
export interface OffsetAdvice {
  field: DeviceOffset;
  /** What it shifts is this late now, ms; null if that isn't measured. */
  lateMs: number | null;
  /** The value to enter, in the device's own unit, and how late its step leaves it, ms. */
  toEnter: { value: number; leftMs: number } | null;
}

const RATE = 48_000;

/** One number for each further offset of a device, from the takes that were driven by what it shifts, newest first. */
export function adviseOffsets(row: AlignRow, rig: Rig, takes: readonly Take[]): OffsetAdvice[] {
  const { gear } = row;
  return (gear.moreOffsets ?? []).map((field) => {
    const lateMs = latenessOf(field, row, rig, takes);
    const at = { sampleRate: field.sampleRate ?? RATE, bpm: rig.bpm };
    return { field, lateMs, toEnter: lateMs === null ? null : ownOffsetFor(field, -lateMs, at) };
  });
}

/** Against where it should land, ms. */
function latenessOf(field: DeviceOffset, row: AlignRow, rig: Rig, takes: readonly Take[]): number | null {
  const { gear, known, byNotes, meetMs, hubMs } = row;
  switch (field.shifts) {
    case 'clockOut':
      return behindItsSound(field, gear, rig, takes);
    case 'notes': {
      const played = driveOf(gear) === 'notes' ? known : byNotes;
      // The hub's offset moves clock and notes together.
      return played && played.lateMs + hubMs - meetMs;
    }
    case 'audio': {
      const heard = known ?? byNotes;
      return heard && heard.lateMs + gear.offsetMs - meetMs;
    }
  }
}

/** How late the follower on an output sounds against the sound of the device that leads it. */
function behindItsSound(field: DeviceOffset, leader: Gear, rig: Rig, takes: readonly Take[]): number | null {
  const follower = rig.gear.find(({ id }) => id === field.to);
  if (!follower) return null;
  const since = Math.max(field.changedAt ?? 0, changedAt(leader), changedAt(follower));
  for (const { plan, startedAt, lines } of takes) {
    if (plan?.question !== 'against' || plan.leaderId !== leader.id || startedAt < since) continue;
    const line = lines.find(({ gearId, report }) => gearId === follower.id && report?.believable);
    if (line?.report && (line.ownOffset ?? follower.offset.own) === follower.offset.own) return line.report.medianMs;
  }
  return null;
}

function changedAt({ changedAt = 0, moreOffsets = [] }: Gear): number {
  const audio = moreOffsets.filter(({ shifts }) => shifts === 'audio');
  return Math.max(changedAt, ...audio.map(({ changedAt = 0 }) => changedAt));
}
