import { useMemo } from 'react';
import { usePorts } from '../../ports/port-registry';
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

/** All input ports: those wired to a device by its name, then the others that are connected. */
export function useMidiInputs(): { portId: string; name: string }[] {
  const wired = useClockSources();
  const inputs = usePorts(({ inputs }) => inputs);
  const others = inputs.flatMap(({ id, name, connected }) =>
    connected && !wired.some(({ portId }) => portId === id) ? [{ portId: id, name }] : [],
  );
  return [...wired, ...others];
}
