import { TICKS_PER_BEAT } from '../midi/message';

/** How a device or app takes its offset. */
export interface OwnOffsetPlace {
  /** The value currently set on the device. */
  own: number;
  unit: 'ms' | 'samples' | 'ticks';
  /** The meaning of a positive value. */
  plusIs: 'later' | 'earlier';
  /** The step it can be set in; 0 takes any number. */
  step: number;
}

/** One unit in ms, at a sample rate in Hz and a tempo. */
export function ownUnitMs(unit: OwnOffsetPlace['unit'], at: { sampleRate: number; bpm: number }): number {
  switch (unit) {
    case 'ms':
      return 1;
    case 'samples':
      return 1000 / at.sampleRate;
    case 'ticks':
      return 60_000 / at.bpm / TICKS_PER_BEAT;
  }
}

/**
 * The value to set on the device so that it sounds `changeMs` later than now (minus: earlier), in its own unit and
 * sign, and the error its step leaves: ms late (+) or early (-).
 */
export function ownOffsetFor(
  place: OwnOffsetPlace,
  changeMs: number,
  at: { sampleRate: number; bpm: number },
): { value: number; leftMs: number } {
  const laterByOne = ownUnitMs(place.unit, at) * (place.plusIs === 'later' ? 1 : -1);
  const wanted = place.own + changeMs / laterByOne;
  const value = place.step > 0 ? withoutRoundingError(Math.round(wanted / place.step) * place.step) : wanted;
  return { value, leftMs: (value - wanted) * laterByOne };
}

/** Removes floating-point residue that steps such as 0.1 leave. */
function withoutRoundingError(value: number): number {
  return Number(value.toFixed(6)) + 0;
}
