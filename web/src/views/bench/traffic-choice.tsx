import { group } from 'd3-array';
import type { TrafficLine } from '../../flow-effects/clock-flow';
import { Field, Select } from '../../parts/field';
import type { Gear } from '../../store/records';
import { useSession } from '../../studio/session';

/** Output ports that traffic can be sent to, each with its devices. */
export function trafficLines(gear: readonly Gear[]): (TrafficLine & { name: string })[] {
  return [...group(gear, ({ portId }) => portId)].flatMap(([portId, all]) =>
    portId === null
      ? []
      : [{ portId, name: all.map(({ name }) => name).join(', '), channel: all[0]?.set.channels[0] ?? 1 }],
  );
}

/** Whether a clock is measured once more with traffic, and on which port. */
export function TrafficChoice({ lineId, onChange }: { lineId: string; onChange: (lineId: string) => void }) {
  const lines = trafficLines(useSession(({ rig }) => rig?.gear) ?? []);
  const isChosen = lines.some(({ portId }) => portId === lineId);
  return (
    <Field
      label="Test traffic"
      hint={isChosen ? 'One take without traffic, then one with notes, controllers and SysEx dumps on that port' : ''}
    >
      {(id) => (
        <Select id={id} value={lineId} onChange={({ target }) => onChange(target.value)}>
          <option value="">None</option>
          {lines.map(({ portId, name }) => (
            <option key={portId} value={portId}>
              On the port to {name}
            </option>
          ))}
        </Select>
      )}
    </Field>
  );
}
