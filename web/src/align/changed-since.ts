import { otherBuffers } from '../store/conditions';
import type { Rig, Take, TakeLine } from '../store/records';

/**
 * What gear was measured with, and is no longer so; null while all of it still is. In words that follow a colon. `bufferMs`: the
 * delay of the sound card's buffers now, where it is known.
 */
export function changedSince(take: Take, line: TakeLine, rig: Rig, bufferMs: number | null = null): string | null {
  if (take.source === 'live' && take.inputSource !== undefined && take.inputSource !== rig.input.sourceId)
    return `the sound came in by ${take.input} then`;
  const before = take.conditions?.bufferMs ?? null;
  if (otherBuffers(before, bufferMs))
    return `the sound card’s buffers delayed by ${before?.toFixed(0)} ms then, and ${bufferMs?.toFixed(0)} ms now`;
  const gear = rig.gear.find(({ id }) => id === line.gearId);
  if (!gear || line.wiredTo === undefined) return null;
  if (line.wiredTo !== gear.portId) return 'it hangs on another port since';
  if (line.ownOffset !== undefined && line.ownOffset !== gear.offset.own)
    return 'the offset in its own menu was changed since';
  const byTicks = gear.offset.unit === 'ticks' && gear.offset.own !== 0;
  return byTicks && take.bpm !== rig.bpm ? `its own offset is in ticks, and the tempo was ${take.bpm} then` : null;
}
