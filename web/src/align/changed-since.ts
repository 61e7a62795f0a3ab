import { whole } from '../words/numbers';
import { otherBuffers } from '../store/conditions';
import type { Rig, Take, TakeLine } from '../store/records';

/**
 * The first condition of the measurement that has changed since, as a clause that follows a colon; null while none has.
 * `bufferMs`: the current delay of the audio buffers, where it is known.
 */
export function changedSince(take: Take, line: TakeLine, rig: Rig, bufferMs: number | null = null): string | null {
  if (take.source === 'live' && take.inputSource !== undefined && take.inputSource !== rig.input.sourceId)
    return `measured through ${take.input}`;
  const before = take.conditions?.bufferMs ?? null;
  if (otherBuffers(before, bufferMs))
    return `audio buffer was ${whole(before ?? 0)} ms, now ${whole(bufferMs ?? 0)} ms`;
  const gear = rig.gear.find(({ id }) => id === line.gearId);
  if (gear?.changedAt !== undefined && take.startedAt < gear.changedAt) return 'its session or settings changed since';
  if (!gear || line.wiredTo === undefined) return null;
  if (line.wiredTo !== gear.portId) return 'output port has changed';
  if (line.ownOffset !== undefined && line.ownOffset !== gear.offset.own) return 'device offset has changed';
  const others = (gear.moreOffsets ?? []).filter(({ shifts }) => shifts === 'audio' || shifts === take.drive);
  if (others.some(({ changedAt = 0 }) => take.startedAt < changedAt)) return 'another device offset has changed';
  const byTicks = [gear.offset, ...others].some(({ unit, own }) => unit === 'ticks' && own !== 0);
  return byTicks && take.bpm !== rig.bpm ? `tempo was ${take.bpm} BPM, and the device offset is in ticks` : null;
}
