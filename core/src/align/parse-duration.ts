import { TICKS_PER_BEAT } from '../midi/message';
import { FRAME_RATES, type FrameRate } from '../timecode/timecode';

const WRITTEN =
  /^\s*([+\-−]?)\s*(\d{1,6}(?:[.,]\d{1,6})?)(?:\s*\/\s*(\d{1,4}))?\s*(ms|s|smp|samples?|ticks?|fr|frames?)?\s*$/i;

/**
 * A duration as musicians write it: `12.3`, `12.3 ms`, `590 smp`, `1/2 tick`, `2 fr`, with a sign. Without a unit it is
 * ms. Null if the text is none of these.
 */
export function parseDuration(text: string, at: { sampleRate: number; bpm: number; rate: FrameRate }): number | null {
  const match = WRITTEN.exec(text);
  if (!match) return null;
  const [, sign, whole = '', divisor, unit = 'ms'] = match;
  const value = Number(whole.replace(',', '.')) / (divisor === undefined ? 1 : Number(divisor));
  const ms = value * unitMs(unit.toLowerCase(), at);
  if (!Number.isFinite(ms)) return null;
  return sign === '-' || sign === '−' ? -ms : ms;
}

function unitMs(unit: string, at: { sampleRate: number; bpm: number; rate: FrameRate }): number {
  if (unit === 's') return 1000;
  if (unit.startsWith('s')) return 1000 / at.sampleRate;
  if (unit.startsWith('t')) return 60_000 / at.bpm / TICKS_PER_BEAT;
  if (unit.startsWith('f')) return 1000 / FRAME_RATES[at.rate].perSecond;
  return 1;
}
