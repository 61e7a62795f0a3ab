import { create } from 'zustand';
import { persist } from 'zustand/middleware';
import type { Drive } from '../../store/records';

/** Take settings per rig, remembered along with the deselected devices. */
export interface PanelSettings {
  /** Devices left out of takes. */
  left: string[];
  bars: number;
  drive: Drive;
  /** Repeat with longer takes until each result is within the interval. */
  known: boolean;
  beatsBy: 'click' | 'calibration';
  /** Shared input for one device at a time; null if each has its own. */
  onChannel: number | null;
}

const USUAL: PanelSettings = { left: [], bars: 8, drive: 'clock', known: false, beatsBy: 'click', onChannel: null };

/** Keyed by rig. */
export const useTakeSettings = create(
  persist((): Record<string, PanelSettings> => ({}), { name: 'metronomo.takeSettings' }),
);

export function settingsOf(all: Record<string, PanelSettings>, rigId: string): PanelSettings {
  const kept = all[rigId];
  return kept ? { ...USUAL, ...kept } : USUAL;
}
