import { HUB_ID, leadersBehind, type NoteRoute, type PortRoute, type SourceSettings } from '@metronomo/core';
import type { Gear, Rig } from '../store/records';
import { planOf } from '../store/rig-plan';

/**
 * The hub's sync inputs for this rig, under the ids of the devices connected to them. A device with several cables to the
 * hub is several sources; the first has its id. Several devices on one input are a source each.
 */
export function sourcesOf(rig: Rig): SourceSettings[] {
  const plan = planOf(rig);
  const { response, freewheelMs } = rig.following;
  const { timecodeStart } = rig.song;
  const named = new Set<string>();
  return rig.hubSockets.flatMap(({ id, direction, portId, obeys = false }) => {
    if (direction !== 'in' || !portId) return [];
    const cables = plan.cables.filter(({ to }) => to.gearId === HUB_ID && to.socketId === id);
    const gearIds = [...new Set(cables.flatMap((cable) => leadersBehind(plan, cable)))];
    const common = { portId, response, freewheelMs, timecodeStart };
    if (gearIds.length === 0) return [{ id, language: 'clock' as const, obeys, ...common }];
    return gearIds.map((gearId, i): SourceSettings => {
      const {
        leadsWith: language = 'clock',
        syncOffsetMs = 0,
        gives = 'both',
      } = rig.gear.find((one) => one.id === gearId) ?? {};
      const another = named.has(gearId);
      named.add(gearId);
      // Commands that arrive at a port are obeyed once.
      const offset = syncOffsetMs === 0 ? {} : { offsetMs: syncOffsetMs };
      return {
        id: another ? `${gearId} ${id}` : gearId,
        gearId,
        language,
        ...(gives !== 'both' && { gives }),
        obeys: obeys && i === 0,
        ...offset,
        ...common,
      };
    });
  });
}

/** The rig's routes, by port. */
export function routesOf(rig: Rig): PortRoute[] {
  return rig.routes.flatMap(({ from, to, ...route }) => {
    const [fromPortId, toPortId] = [portAt(rig, from), portAt(rig, to)];
    const delayMs = Math.max(0, offsetBeside(rig, { to, ...route })?.offsetMs ?? 0);
    return fromPortId && toPortId ? [{ ...route, fromPortId, toPortId, ...(delayMs > 0 && { delayMs }) }] : [];
  });
}

/** The device that a route's notes go to, if its clock has an offset in the hub; null if several devices differ. */
export function offsetBeside(rig: Rig, { to, toChannel }: Pick<NoteRoute, 'to' | 'toChannel'>): Gear | null {
  const portId = portAt(rig, to);
  const reached = rig.gear.filter(
    (one) =>
      one.portId === portId && one.syncsTo === 'clock' && (toChannel === null || one.set.channels.includes(toChannel)),
  );
  const [first] = reached;
  if (!first || portId === null || first.offsetMs === 0) return null;
  return reached.every(({ offsetMs }) => offsetMs === first.offsetMs) ? first : null;
}

function portAt(rig: Rig, socketId: string): string | null {
  return rig.hubSockets.find(({ id }) => id === socketId)?.portId ?? null;
}
