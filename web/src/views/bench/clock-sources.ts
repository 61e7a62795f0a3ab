import { useMemo } from 'react';
import { useSession } from '../../studio/session';

/** The hub's input ports, named by the connected device. */
export function useClockSources(): { portId: string; sourceId: string; name: string }[] {
  const rig = useSession(({ rig }) => rig);
  return useMemo(
    () =>
      (rig?.hubSockets ?? []).flatMap(({ id, label, direction, portId }) => {
        if (direction !== 'in' || !portId) return [];
        const cable = rig?.cables.find(({ to }) => to.socketId === id);
        const gear = rig?.gear.find((one) => one.id === cable?.from.gearId);
        return [{ portId, sourceId: gear?.id ?? id, name: gear?.name ?? label }];
      }),
    [rig],
  );
}
