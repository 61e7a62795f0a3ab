import { TICKS_PER_BEAT, type Apart, type SourceSnapshot } from '@metronomo/core';
import { count, decimal } from '../words/numbers';
import { latenessText } from './words';

/** The longest frame there is, at 24 fps. */
const FRAME_MS = 1000 / 24;
/** Timecode farther away than this is at another position. */
const ELSEWHERE_MS = 1000;

/** How far a rolling device is from the hub: of a clock, whole beats and the rest in ms; of timecode, ms or seconds. */
export function apartText({ by, lateMs, ci95Ms, counted }: Apart & { kind: 'rolling' }, hubBpm: number): string {
  if (by === 'timecode' && Math.abs(lateMs) > ELSEWHERE_MS)
    return `${decimal(Math.abs(lateMs) / 1000, 2)} s ${lateMs > 0 ? 'behind' : 'ahead'}`;
  const beatMs = 60_000 / hubBpm;
  const beats = by === 'clock' ? Math.round(lateMs / beatMs) : 0;
  const position = beats === 0 ? '' : `${count(Math.abs(beats), 'beat')} ${beats > 0 ? 'behind' : 'ahead'}, `;
  const within = `± ${decimal((ci95Ms[1] - ci95Ms[0]) / 2, 2)}`;
  return `${position}${latenessText(lateMs - beats * beatMs)} ${within}${counted ? '' : ', or whole ticks more,'}`;
}

/** How far a timecode is from another one. */
export function behindText(
  { lateMs, ci95Ms, drifts, jitterMs }: NonNullable<SourceSnapshot['behind']>,
  other: string,
): string {
  const jitter = `jitter ${decimal(jitterMs, 2)} ms`;
  if (drifts) return `drifting from ${other}, ${jitter}`;
  const side = `${lateMs > 0 ? 'behind' : 'ahead of'} ${other}`;
  if (Math.abs(lateMs) > ELSEWHERE_MS) return `${decimal(Math.abs(lateMs) / 1000, 2)} s ${side}`;
  return `${decimal(Math.abs(lateMs), 2)} ± ${decimal((ci95Ms[1] - ci95Ms[0]) / 2, 2)} ms ${side}, ${jitter}`;
}

/** A device goes on at its next whole tick, and its timecode ends at the last whole quarter frame. */
export function standsText(apart: Apart & { kind: 'stopped' }): string {
  const byClock = 'beats' in apart;
  const ahead = byClock ? apart.beats : apart.ms;
  const rounded = byClock ? Math.floor(apart.beats * TICKS_PER_BEAT + 0.01) : Math.trunc(apart.ms / FRAME_MS);
  if (rounded === 0) return 'same position';
  const [beats, ticks] = [Math.trunc(Math.abs(rounded) / TICKS_PER_BEAT), Math.abs(rounded) % TICKS_PER_BEAT];
  const inBeats = [beats > 0 && count(beats, 'beat'), ticks > 0 && count(ticks, 'tick')].filter(Boolean).join(' ');
  return `${byClock ? inBeats : `${decimal(Math.abs(ahead) / 1000, 2)} s`} ${ahead > 0 ? 'ahead' : 'behind'}`;
}
