import { checklist, startingOrder, type RigPlan } from '@metronomo/core';
import { signed } from '../../parts/words';
import type { Gear, Rig } from '../../store/records';
import { checklistWords, type Places } from './checklist-words';
import { offsetName } from '../../parts/device-offset-words';
import { placesOf } from './sync-places';

/** The order in which to switch everything on. */
export function StartingOrder({ rig, plan }: { rig: Rig; plan: RigPlan }) {
  const order = startingOrder(plan);
  if (order.length === 0) return null;
  return (
    <section className="break-inside-avoid">
      <h3 className="mt-5 mb-2 text-[18px] font-bold">Starting order</h3>
      <ol className="list-decimal columns-2 gap-8 pl-7 text-[12px]">
        <li>MIDI and audio interfaces</li>
        {order.map(({ id, name, able }) => (
          <li key={id}>
            {name}
            {able.rearms && ': press play once after its port was connected'}
            {id === rig.leaders[0] && ', which leads'}
          </li>
        ))}
        <li>Metronomo</li>
      </ol>
    </section>
  );
}

/** One sheet per device: how it is connected, and what to set on it. */
export function DevicePapers({ rig, plan }: { rig: Rig; plan: RigPlan }) {
  return rig.gear.map((gear) => <DevicePaper key={gear.id} gear={gear} rig={rig} plan={plan} />);
}

function DevicePaper({ gear, rig, plan }: { gear: Gear; rig: Rig; plan: RigPlan }) {
  const entries = checklist(plan, gear.id);
  const places = placesOf(plan, gear);
  return (
    <section className="break-before-page">
      <p className="text-[12px]">{rig.name}</p>
      <h3 className="mb-3 text-[22px] font-bold">{gear.name}</h3>
      <table className="mb-4 text-[14px]">
        <tbody>
          {connections(gear, places, rig).map(([what, where]) => (
            <tr key={what}>
              <th scope="row" className="py-0.5 pr-6 text-left font-normal">
                {what}
              </th>
              <td className="font-bold">{where}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {entries.length > 0 && (
        <>
          <h4 className="mb-1 text-[16px] font-bold">Settings on the device</h4>
          <ul className="text-[14px]">
            {entries.map(({ key, item }) => (
              <li key={key} className="py-0.5">
                {gear.checked.includes(key) ? '☑' : '☐'} {checklistWords(item, places)}
              </li>
            ))}
          </ul>
        </>
      )}
      {gear.notes !== '' && <p className="mt-4 text-[14px]">{gear.notes}</p>}
    </section>
  );
}

function connections(gear: Gear, { in: comes, out }: Places, rig: Rig): [string, string][] {
  const rows: [string, string | null][] = [
    ['Receives sync on', comes && `${comes.socket}, from ${comes.through ?? `the hub’s port ${comes.port ?? ''}`}`],
    ['Sends to the hub on', out && `${out.socket}, to the hub’s port ${out.port ?? ''}`],
    ['Sound comes in on', gear.returnChannel === null ? null : `input ${gear.returnChannel + 1}`],
    ['Hub offset', gear.offsetMs === 0 ? null : `${signed(gear.offsetMs)} ms`],
    ...(gear.moreOffsets ?? []).map((field): [string, string] => [
      `Offset for ${offsetName(field, rig)}`,
      `${field.own} ${field.unit}`,
    ]),
  ];
  return rows.flatMap(([what, where]) => (where === null ? [] : [[what, where]]));
}
