import { convertOffset, type FrameRate } from '@metronomo/core';
import { decimal } from '../words/numbers';

export const UNITS = ['ms', 'samples', 'ticks', 'frames'] as const;
export type Unit = (typeof UNITS)[number];

/** What converting a duration from ms depends on. */
export interface UnitAt {
  sampleRate: number;
  bpm: number;
  rate: FrameRate;
}

const WORDS: Record<Unit, { word: string; digits: number }> = {
  ms: { word: 'ms', digits: 1 },
  samples: { word: 'smp', digits: 0 },
  ticks: { word: 'ticks', digits: 2 },
  frames: { word: 'fr', digits: 2 },
};

/** A duration without its sign: `12.3 ms`, `590 smp`, `0.39 ticks`, `0.31 fr`. */
export function inUnit(ms: number, unit: Unit, at: UnitAt): string {
  const { word, digits } = WORDS[unit];
  return `${decimal(Math.abs(convertOffset(ms, at)[unit]), digits)} ${word}`;
}

/** `590 smp late`, `0.4 ms early`, `on the beat`. */
export function lateIn(ms: number, unit: Unit, at: UnitAt): string {
  return isNothing(ms, unit, at) ? 'on the beat' : `${inUnit(ms, unit, at)} ${ms > 0 ? 'late' : 'early'}`;
}

/** The correction: `send it 12.3 ms earlier`. */
export function moveIn(changeMs: number, unit: Unit, at: UnitAt): string {
  return `send it ${inUnit(changeMs, unit, at)} ${changeMs < 0 ? 'earlier' : 'later'}`;
}

/** As a setting: `12.3 ms earlier`, `none`. */
export function offsetIn(ms: number, unit: Unit, at: UnitAt): string {
  return isNothing(ms, unit, at) ? 'none' : `${inUnit(ms, unit, at)} ${ms < 0 ? 'earlier' : 'later'}`;
}

/** What is left over: `0.3 ms late`, `0.0 ms`. */
export function residualIn(ms: number, unit: Unit, at: UnitAt): string {
  const size = inUnit(ms, unit, at);
  return isNothing(ms, unit, at) ? size : `${size} ${ms > 0 ? 'late' : 'early'}`;
}

function isNothing(ms: number, unit: Unit, at: UnitAt): boolean {
  return Number.parseFloat(inUnit(ms, unit, at)) === 0;
}
