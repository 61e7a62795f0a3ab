import { checklist, type RigPlan } from '@metronomo/core';
import type { Rig } from '../../store/records';
import { checklistWords } from './checklist-words';
import { placesOf } from './sync-places';

/** Print version of the setup checklists. */
export function BoxSettings({ rig, plan }: { rig: Rig; plan: RigPlan }) {
  return (
    <div className="columns-2 gap-8 text-[12px]">
      {rig.gear.map((gear) => {
        const entries = checklist(plan, gear.id);
        if (entries.length === 0) return null;
        const places = placesOf(plan, gear);
        return (
          <section key={gear.id} className="mb-3 break-inside-avoid">
            <h4 className="font-bold">{gear.name}</h4>
            <ul>
              {entries.map(({ key, item }) => (
                <li key={key}>
                  {gear.checked.includes(key) ? '☑' : '☐'} {checklistWords(item, places)}
                </li>
              ))}
            </ul>
          </section>
        );
      })}
    </div>
  );
}
