import { Plus } from 'lucide-react';
import { changeRig } from '../../studio/rig';
import type { Gear, Rig, Trigger } from '../../store/records';
import { FadeField } from './fade-field';
import { TriggerFields } from './trigger-fields';

/** Notes, control changes and step counters sent in time with the song, for lights and visuals. */
export function TriggersPanel({ rig }: { rig: Rig }) {
  const withPort = rig.gear.filter(({ portId }) => portId !== null);
  const all = withPort.flatMap((gear) => gear.triggers.map((trigger) => ({ gear, trigger })));
  const change = (gearId: string, make: (before: Trigger[]) => Trigger[]) =>
    void changeRig((before) => ({
      ...before,
      gear: before.gear.map((one) => (one.id === gearId ? { ...one, triggers: make(one.triggers) } : one)),
    }));
  const add = (gear: Gear) =>
    change(gear.id, (before) => [
      ...before,
      {
        id: crypto.randomUUID(),
        every: 1,
        sends: { kind: 'note', channel: 1, note: 60, velocity: 100 },
        inSections: {},
      },
    ]);
  return (
    <div className="flex flex-col gap-3 p-4 text-sm">
      {all.length === 0 && (
        <p className="text-soft">
          No beat triggers yet. A beat trigger sends a note, a control change or a step counter in time with the song,
          for lights, visuals or slicers.
        </p>
      )}
      {all.map(({ gear, trigger }, i) => (
        <TriggerFields
          key={trigger.id}
          name={`Trigger ${i + 1}`}
          gear={gear}
          trigger={trigger}
          rig={rig}
          onChange={(next) => change(gear.id, (before) => before.map((one) => (one.id === trigger.id ? next : one)))}
          onRemove={() => change(gear.id, (before) => before.filter(({ id }) => id !== trigger.id))}
        />
      ))}
      {withPort
        .filter(({ triggers }) => triggers.length > 0)
        .map((gear) => (
          <FadeField key={gear.id} gear={gear} />
        ))}
      {withPort.length === 0 ? (
        <p className="text-soft">No device has an output port yet. Choose one in Rig.</p>
      ) : (
        <label className="inline-flex items-center gap-2">
          <Plus size={14} aria-hidden /> Add trigger for
          <select
            aria-label="Add trigger for"
            value=""
            className="border border-rule px-1.5 py-1"
            onChange={({ target }) => {
              const gear = withPort.find(({ id }) => id === target.value);
              if (gear) add(gear);
            }}
          >
            <option value="">choose a device</option>
            {withPort.map(({ id, name }) => (
              <option key={id} value={id}>
                {name}
              </option>
            ))}
          </select>
        </label>
      )}
    </div>
  );
}
