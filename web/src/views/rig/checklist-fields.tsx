import { checklist } from '@metronomo/core';
import { changeRig } from '../../studio/rig';
import type { Gear, Rig } from '../../store/records';
import { planOf } from '../../store/rig-plan';
import { Check } from '../../parts/check';
import { checklistWords } from './checklist-words';
import { placesOf } from './sync-places';

/** Settings to make on the device itself, with check boxes. */
export function ChecklistFields({ gear, rig }: { gear: Gear; rig: Rig }) {
  const plan = planOf(rig);
  const entries = checklist(plan, gear.id);
  const places = placesOf(plan, gear);
  if (entries.length === 0) return null;
  const done = entries.filter(({ key }) => gear.checked.includes(key)).length;
  const tick = (key: string) => {
    const keys = entries.map((entry) => entry.key);
    // Drop ticks of settings that have changed.
    const kept = gear.checked.filter((one) => keys.includes(one));
    const checked = kept.includes(key) ? kept.filter((one) => one !== key) : [...kept, key];
    void changeRig((before) => ({
      ...before,
      gear: before.gear.map((one) => (one.id === gear.id ? { ...one, checked } : one)),
    }));
  };
  return (
    <details className="mt-3 text-sm">
      <summary className="cursor-pointer text-soft">
        Setup checklist: {done} of {entries.length} done
      </summary>
      <ul className="mt-2 flex flex-col gap-1">
        {entries.map(({ key, item }) => (
          <li key={key}>
            <Check
              label={checklistWords(item, places)}
              checked={gear.checked.includes(key)}
              onChange={() => tick(key)}
            />
          </li>
        ))}
      </ul>
    </details>
  );
}
