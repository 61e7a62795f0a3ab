import { COMMON_LIMITS, type Limits } from './limits';

/** Two clicks this close are heard as one (common practice: 1 to 2 ms). */
export const TOLERANCE_MS = 1;

/** `12.3 ms late`, `0.4 ms early`, `on the beat`. */
export function lateInWords(ms: number): string {
  const rounded = Math.abs(ms).toFixed(1);
  if (rounded === '0.0') return 'on the beat';
  return `${rounded} ms ${ms > 0 ? 'late' : 'early'}`;
}

/** What to do about it: `send it 12.3 ms earlier`. */
export function moveInWords(changeMs: number): string {
  return `send it ${Math.abs(changeMs).toFixed(1)} ms ${changeMs < 0 ? 'earlier' : 'later'}`;
}

/** `+12.3`, `−12.3`, `0.0`, with a true minus sign. */
export function signed(ms: number, digits = 1): string {
  const text = Math.abs(ms).toFixed(digits);
  if (Number(text) === 0) return text;
  return `${ms < 0 ? '−' : '+'}${text}`;
}

/** An offset as it stands: `12.3 ms earlier`, `none`. */
export function offsetInWords(ms: number): string {
  const rounded = Math.abs(ms).toFixed(1);
  return rounded === '0.0' ? 'none' : `${rounded} ms ${ms < 0 ? 'earlier' : 'later'}`;
}

/** `7.3 MB`, `1.2 GB`. */
export function bytesInWords(bytes: number): string {
  const [unit, size] = bytes >= 1e9 ? ['GB', 1e9] : bytes >= 1e6 ? ['MB', 1e6] : (['kB', 1e3] as const);
  return `${(bytes / Number(size)).toFixed(bytes >= 1e6 ? 1 : 0)} ${unit}`;
}

/** What a player makes of a difference, by the limits in use. */
export function verdict(ms: number, limits: Limits = COMMON_LIMITS): { word: string; meaning: string; by: string } {
  const late = Math.abs(ms);
  const { tightMs, playingMs, audibleMs } = limits;
  if (late <= tightMs)
    return { word: 'Tight.', meaning: 'Two clicks this close are heard as one.', by: `up to ${tightMs} ms` };
  if (late < playingMs)
    return { word: 'Fit for playing along.', meaning: 'Few players hear it as two hits.', by: `under ${playingMs} ms` };
  if (late < audibleMs) return { word: 'Audible.', meaning: 'Most players hear a flam.', by: `from ${playingMs} ms` };
  return { word: 'Unfit.', meaning: 'Anybody hears two hits.', by: `from ${audibleMs} ms` };
}
