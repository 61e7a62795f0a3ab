import type { FrameRate } from '@metronomo/core';
import { create } from 'zustand';
import { useShallow } from 'zustand/react/shallow';
import { useSession } from '../../studio/session';
import type { Unit, UnitAt } from '../../parts/units';

/** Zoom levels: width of the beat line in ms. */
const WIDTHS_MS = [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200];
const RATE = 48_000;

/** View settings of the beat line; a null width shows everything. */
export const useAlignLook = create<{ unit: Unit; widthMs: number | null }>(() => ({ unit: 'ms', widthMs: null }));

/** Zooms in or out by one level; from "everything", starting at its width. */
export function zoom(way: 'in' | 'out', shownMs: number): void {
  const next =
    way === 'in'
      ? WIDTHS_MS.findLast((width) => width < shownMs * 0.999)
      : WIDTHS_MS.find((width) => width > shownMs * 1.001);
  if (next !== undefined) useAlignLook.setState({ widthMs: next });
}

/** Conditions for converting durations. */
export function useUnitAt(): UnitAt {
  return useSession(
    useShallow(({ rig, snapshot }): UnitAt => {
      const rate: FrameRate = rig?.song.rate ?? '25';
      return { sampleRate: RATE, bpm: rig?.song.tempoFrom === 'hand' ? rig.bpm : tenths(snapshot.bpm), rate };
    }),
  );
}

function tenths(bpm: number): number {
  return Math.round(10 * bpm) / 10;
}
