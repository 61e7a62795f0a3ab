import { TICKS_PER_BEAT } from '../midi/message';

/** How a piece of gear or a program takes an offset in its own menu. */
export interface OwnOffsetPlace {
  /** What stands there now. */
  own: number;
  unit: 'ms' | 'samples' | 'ticks';
  /** What a plus there means. */
  plusIs: 'later' | 'earlier';
  /** The step in which it is set; 0 takes any number. */
  step: number;
}

/** One of its units, in ms, at the sample rate in Hz and the tempo in force. */
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
 * What to type in its own menu so that it sounds `changeMs` later than now (minus: earlier): the number that is to
 * stand there, in its unit and with its sign, and by how many ms its step makes that late (+) or early (-).
 */
export function ownOffsetFor(
  place: OwnOffsetPlace,
  changeMs: number,
  at: { sampleRate: number; bpm: number },
): { value: number; leftMs: number } {
  const laterByOne = ownUnitMs(place.unit, at) * (place.plusIs === 'later' ? 1 : -1);
  const wanted = place.own + changeMs / laterByOne;
  const value = place.step > 0 ? clean(Math.round(wanted / place.step) * place.step) : wanted;
  return { value, leftMs: (value - wanted) * laterByOne };
}

/** Without the dust that steps such as 0.1 leave. */
function clean(value: number): number {
  return Number(value.toFixed(6)) + 0;
}
