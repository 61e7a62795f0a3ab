import { ownUnitMs, type OffsetPlace } from '@metronomo/core';
import type { Gear, Take, TakeLine } from '../store/records';

/** How a device moved when its own offset was changed, against what its sign promised. Times in ms, + is later. */
export interface WrongSign {
  /** Where it lands now. */
  lateMs: number;
  movedMs: number;
  expectedMs: number;
}

/** Smaller changes are lost in the jitter of many devices. */
const SMALLEST_MS = 2;
/** It moved by the same amount, but the other way: within this, or a fifth of it. */
const NEAR_MS = 1;
const NEAR_SHARE = 0.2;

/**
 * Whether an offset that was entered on a device acts the other way round: its newest take with that offset against the
 * last one before. Takes newest first; null while there is nothing to compare, or the device moved as promised.
 */
export function wrongSign(takes: readonly Take[], { id, offset, portId }: Gear): WrongSign | null {
  const measured = takes.flatMap((take) =>
    (take.plan || take.playedBy || take.source !== 'live' ? [] : take.lines)
      .filter((line) => line.gearId === id && line.wiredTo === portId && line.report?.believable && !line.moved)
      .map((line) => ({ take, line })),
  );
  const [after] = measured;
  if (after?.line.ownOffset !== offset.own) return null;
  const before = measured.find(({ line }) => line.ownOffset !== undefined && line.ownOffset !== offset.own);
  if (!before || before.take.inputSource !== after.take.inputSource) return null;
  const expectedMs = ownMs(offset, offset.own, after.take) - ownMs(offset, before.line.ownOffset ?? 0, before.take);
  const movedMs = naturalMs(after.line) - naturalMs(before.line);
  const isNear = Math.abs(movedMs + expectedMs) <= Math.max(NEAR_MS, NEAR_SHARE * Math.abs(expectedMs));
  if (Math.abs(expectedMs) < SMALLEST_MS || !isNear) return null;
  return { lateMs: after.line.report?.medianMs ?? NaN, movedMs, expectedMs };
}

function ownMs({ unit, plusIs, sampleRate = 48_000 }: OffsetPlace, own: number, { bpm }: Take): number {
  return own * ownUnitMs(unit, { sampleRate, bpm: bpm ?? 120 }) * (plusIs === 'later' ? 1 : -1);
}

/** Without the hub's offset. */
function naturalMs({ report, offsetMs }: TakeLine): number {
  return (report?.medianMs ?? NaN) - offsetMs;
}
