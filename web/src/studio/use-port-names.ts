import { CLICK_PORT, peerKeyOf } from '../ports/port-ids';
import { usePorts } from '../ports/port-registry';
import { STAND_IN_INPUTS, STAND_IN_OUTPUTS } from '../store/boathouse';
import { useSession } from './session';

/** Port names, by the device at the other end. */
export function usePortNames(): (portId: string) => string {
  const rig = useSession(({ rig }) => rig);
  const { outputs, inputs } = usePorts();
  return (portId) => {
    if (portId === CLICK_PORT) return 'Hub click';
    const socket = rig?.hubSockets.find((one) => one.portId === portId);
    const cable = rig?.cables.find(({ from, to }) => from.socketId === socket?.id || to.socketId === socket?.id);
    const gear = rig?.gear.find(
      (one) => one.portId === portId || (cable && (one.id === cable.from.gearId || one.id === cable.to.gearId)),
    );
    const peer = rig?.peers?.find(({ key }) => key === peerKeyOf(portId));
    const port = [...outputs, ...inputs, ...STAND_IN_OUTPUTS, ...STAND_IN_INPUTS].find(({ id }) => id === portId);
    const unknown = peerKeyOf(portId) === null ? portId : 'Network peer';
    return gear?.name ?? socket?.label ?? peer?.name ?? port?.name ?? unknown;
  };
}
