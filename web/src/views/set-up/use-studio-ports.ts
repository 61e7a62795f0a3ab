import type { PortChoice } from '../../flow-effects/set-up-flow';
import { usePorts } from '../../ports/port-registry';
import type { MidiPort } from '../../ports/port-adapter';
import { STAND_IN_INPUTS, STAND_IN_OUTPUTS } from '../../store/boathouse';
import { useSession } from '../../studio/session';

/** The ports that can be set up: those that are connected, or in the practice studio the simulated ones. */
export function useStudioPorts(): { outputs: PortChoice[]; inputs: PortChoice[] } {
  const { outputs, inputs } = usePorts();
  const practice = useSession(({ rig }) => rig?.demo ?? false);
  const connected = (ports: readonly MidiPort[]) =>
    ports.flatMap(({ id, name, connected }) => (connected ? [{ id, name }] : []));
  return practice
    ? { outputs: [...STAND_IN_OUTPUTS], inputs: [...STAND_IN_INPUTS] }
    : { outputs: connected(outputs), inputs: connected(inputs) };
}
