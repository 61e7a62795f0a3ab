import { changeRig } from '../../studio/rig';
import type { Gear, GearPatches, PatchNumber, Rig } from '../../store/records';
import { NumberInput } from '../../parts/number-input';
import { PatchInput } from '../../parts/patch-input';
import { NO_PATCHES } from '../../store/gear';

/** Program changes per device: at the start of the song, and from each section on. */
export function PatchesPanel({ rig }: { rig: Rig }) {
  const withPort = rig.gear.filter(({ portId }) => portId !== null);
  const { sections, tempoFrom } = rig.song;
  const change = (gearId: string, patchPlan: GearPatches) =>
    void changeRig((before) => ({
      ...before,
      gear: before.gear.map((one) => (one.id === gearId ? { ...one, patchPlan } : one)),
    }));
  if (withPort.length === 0)
    return <p className="p-4 text-sm text-soft">No device has an output port yet. Choose one in Rig.</p>;
  return (
    <div className="flex flex-col gap-2 p-4 text-sm">
      <p className="text-soft">
        Programs count from 0. Leave a field empty to send nothing. A program is sent on play and on locate, and ahead
        of the beat where its section begins.
        {tempoFrom === 'hand' && sections.length > 0 && ' Section programs need song sections to be in use.'}
      </p>
      <div className="overflow-x-auto">
        <table>
          <caption className="sr-only">Programs by device</caption>
          <thead className="text-left text-xs text-soft">
            <tr>
              {['Device', 'Channel', 'Ahead, ms', 'Song start', ...sections.map(({ name }) => name)].map((title, i) => (
                <th key={i} className="pr-3 font-normal">
                  {title}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {withPort.map((gear) => (
              <PatchRow key={gear.id} gear={gear} rig={rig} onChange={(next) => change(gear.id, next)} />
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}

function PatchRow({ gear, rig, onChange }: { gear: Gear; rig: Rig; onChange: (next: GearPatches) => void }) {
  const { name, patchPlan } = gear;
  const patches = patchPlan ?? NO_PATCHES;
  const inSection = (i: number, to: PatchNumber | null) => {
    const others = Object.entries(patches.inSections).filter(([index]) => index !== String(i));
    onChange({ ...patches, inSections: Object.fromEntries(to ? [...others, [String(i), to]] : others) });
  };
  return (
    <tr>
      <th scope="row" className="pr-3 text-left">
        {name}
      </th>
      <td className="pr-3">
        <NumberInput
          name={`${name}: program channel`}
          value={patches.channel}
          least={1}
          most={16}
          onSave={(channel) => onChange({ ...patches, channel })}
        />
      </td>
      <td className="pr-3">
        <NumberInput
          name={`${name}: program ahead, ms`}
          value={patches.leadMs}
          least={0}
          most={5000}
          onSave={(leadMs) => onChange({ ...patches, leadMs })}
        />
      </td>
      <td className="pr-3">
        <PatchInput
          name={`${name}: program at song start`}
          value={patches.atStart}
          onSave={(atStart) => onChange({ ...patches, atStart })}
        />
      </td>
      {rig.song.sections.map((section, i) => (
        <td key={i} className="pr-3">
          <PatchInput
            name={`${name}: program in ${section.name}`}
            value={patches.inSections[i] ?? null}
            onSave={(to) => inSection(i, to)}
          />
        </td>
      ))}
    </tr>
  );
}
