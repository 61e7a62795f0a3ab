import { HUB_ID, type PortRoute, type SourceSettings } from '@metronomo/core';
import type { Rig } from '../store/records';

/** The hub's sync inputs for this rig: each input socket with a port, under the id of the device connected to it. */
export function sourcesOf(rig: Rig): SourceSettings[] {
  const { response, freewheelMs } = rig.following;
  return rig.hubSockets.flatMap(({ id, direction, portId, obeys }) => {
    if (direction !== 'in' || !portId) return [];
    const cable = rig.cables.find(({ to }) => to.gearId === HUB_ID && to.socketId === id);
    const gear = rig.gear.find((one) => one.id === cable?.from.gearId);
    const language = gear?.leadsWith ?? 'clock';
    const { timecodeStart } = rig.song;
    return [{ id: gear?.id ?? id, portId, language, response, freewheelMs, timecodeStart, obeys: obeys ?? false }];
  });
}

/** The rig's routes, by port. */
export function routesOf(rig: Rig): PortRoute[] {
  const portOf = (socketId: string) => rig.hubSockets.find(({ id }) => id === socketId)?.portId;
  return rig.routes.flatMap(({ from, to, ...route }) => {
    const [fromPortId, toPortId] = [portOf(from), portOf(to)];
    return fromPortId && toPortId ? [{ ...route, fromPortId, toPortId }] : [];
  });
}
