import type { RemoteState } from '../remote/messages';

/** Bar and beat from 1; beyond the bar that is known, bars go on like it. */
export function positionAt({ bar }: Pick<RemoteState, 'bar'>, beat: number): { bar: number; beat: number } {
  const beats = Math.floor((beat - bar.fromBeat) / bar.quarters + 1e-6);
  const bars = Math.floor(beats / bar.beats);
  return { bar: bar.number + bars, beat: beats - bars * bar.beats + 1 };
}
