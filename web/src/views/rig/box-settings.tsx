import { checklist, type RigPlan } from '@metronomo/core';
import { signed } from '../../parts/words';
import type { Rig } from '../../store/records';
import { checklistWords } from './checklist-words';

/** Print version of the setup checklists; `offsets` adds the hub offset. */
export function BoxSettings({ rig, plan, offsets = false }: { rig: Rig; plan: RigPlan; offsets?: boolean }) {
  return (
    <div className="columns-2 gap-8 text-[12px]">
      {rig.gear.map((gear) => {
        const entries = checklist(plan, gear.id);
        if (entries.length === 0) return null;
        return (
          <section key={gear.id} className="mb-3 break-inside-avoid">
            <h4 className="font-bold">{gear.name}</h4>
            {offsets && gear.offsetMs !== 0 && <p>Hub offset: {signed(gear.offsetMs)} ms</p>}
            <ul>
              {entries.map(({ key, item }) => (
                <li key={key}>
                  {gear.checked.includes(key) ? '☑' : '☐'} {checklistWords(item)}
                </li>
              ))}
            </ul>
          </section>
        );
      })}
    </div>
  );
}
