import { COMMON_LIMITS, type Limits } from './limits';
import type { Gear } from '../store/records';
import { decimal } from '../words/numbers';

/** The rates of a device’s clock. */
export const CLOCK_RATES = [
  [1, 'normal tempo'],
  [0.5, 'half tempo'],
  [2, 'double tempo'],
] as const satisfies readonly (readonly [Gear['clockRate'], string])[];

/** Two clicks this close sound like one (common practice: 1 to 2 ms). */
export const TOLERANCE_MS = 1;

/** `12.3 ms late`, `0.4 ms early`, `on the beat`. */
export function latenessText(ms: number): string {
  const rounded = decimal(Math.abs(ms), 1);
  if (rounded === '0.0') return 'on the beat';
  return `${rounded} ms ${ms > 0 ? 'late' : 'early'}`;
}

/** The correction: `send it 12.3 ms earlier`. */
export function moveText(changeMs: number): string {
  return `send it ${decimal(Math.abs(changeMs), 1)} ms ${changeMs < 0 ? 'earlier' : 'later'}`;
}

/** `+12.3`, `−12.3`, `0.0`, with a true minus sign. */
export function signed(ms: number, digits = 1): string {
  const text = decimal(Math.abs(ms), digits);
  if (Number(text) === 0) return text;
  return `${ms < 0 ? '−' : '+'}${text}`;
}

/** An offset as a setting: `12.3 ms earlier`, `none`. */
export function offsetText(ms: number): string {
  const rounded = decimal(Math.abs(ms), 1);
  return rounded === '0.0' ? 'none' : `${rounded} ms ${ms < 0 ? 'earlier' : 'later'}`;
}

/** `7.3 MB`, `1.2 GB`. */
export function bytesText(bytes: number): string {
  const [unit, size] = bytes >= 1e9 ? ['GB', 1e9] : bytes >= 1e6 ? ['MB', 1e6] : (['kB', 1e3] as const);
  return `${decimal(bytes / Number(size), bytes >= 1e6 ? 1 : 0)} ${unit}`;
}

/** The verdict on a latency, by the current limits. */
export function verdict(ms: number, limits: Limits = COMMON_LIMITS): { word: string; meaning: string; by: string } {
  const late = Math.abs(ms);
  const { tightMs, playingMs, audibleMs } = limits;
  if (late <= tightMs)
    return { word: 'Tight.', meaning: 'Two clicks this close are heard as one.', by: `up to ${tightMs} ms` };
  if (late < playingMs)
    return { word: 'Playable.', meaning: 'Few players will hear two hits.', by: `under ${playingMs} ms` };
  if (late < audibleMs)
    return { word: 'Audible.', meaning: 'Most players will hear a flam.', by: `${playingMs} ms or more` };
  return { word: 'Out of time.', meaning: 'Anyone will hear two hits.', by: `${audibleMs} ms or more` };
}
