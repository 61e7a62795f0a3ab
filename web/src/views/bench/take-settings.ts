import { create } from 'zustand';
import { persist } from 'zustand/middleware';
import type { Drive } from '../../store/records';

/** How takes are made in a rig; remembered, each piece of gear that was left out with it. */
export interface PanelSettings {
  /** Gear that is not measured. */
  left: string[];
  bars: number;
  drive: Drive;
  /** Again and longer, until each is known well enough. */
  known: boolean;
  beatsBy: 'click' | 'calibration';
  /** The input on which all are heard, one after the other; null where each has its own. */
  onChannel: number | null;
}

const USUAL: PanelSettings = { left: [], bars: 8, drive: 'clock', known: false, beatsBy: 'click', onChannel: null };

/** By the rig. */
export const useTakeSettings = create(
  persist((): Record<string, PanelSettings> => ({}), { name: 'metronomo.takeSettings' }),
);

export function settingsOf(all: Record<string, PanelSettings>, rigId: string): PanelSettings {
  const kept = all[rigId];
  return kept ? { ...USUAL, ...kept } : USUAL;
}
