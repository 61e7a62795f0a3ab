import { HUB_ID } from '@metronomo/core';
import { Paper } from '../../parts/paper';
import type { Rig } from '../../store/records';
import { planOf } from '../../store/rig-plan';
import { BoxSettings } from './box-settings';
import { FigureSvg } from './figure-svg';
import { wordsFor } from './finding-words';
import { useLineCheck } from './use-line-check';
import { decimal } from '../../words/numbers';
import { longDate } from '../../parts/dates';

/** The printed rig. */
export function RigPaper({ rig }: { rig: Rig }) {
  return (
    <Paper>
      <Drawn rig={rig} />
    </Paper>
  );
}

/** Diagram, leader, device settings, and open findings. */
function Drawn({ rig }: { rig: Rig }) {
  const plan = planOf(rig);
  const { open } = useLineCheck();
  const nameOf = (id: string) => (id === HUB_ID ? 'the hub' : (rig.gear.find((one) => one.id === id)?.name ?? id));
  return (
    <>
      <h2 className="text-[22px] font-bold">{rig.name}</h2>
      <p className="mb-3">
        {longDate(new Date())} · {decimal(rig.bpm, 2)} BPM · leader: {rig.leaders.map(nameOf).join(', then ')}
      </p>
      <FigureSvg rig={rig} plan={plan} />
      <h3 className="mt-6 mb-2 break-before-page text-[18px] font-bold">Device settings</h3>
      <BoxSettings rig={rig} plan={plan} offsets />
      {open.length > 0 && (
        <section className="break-inside-avoid">
          <h3 className="mt-4 mb-2 text-[18px] font-bold">Line check</h3>
          <ul>
            {open.map(({ key, seen, gearId }) => (
              <li key={key}>☐ {wordsFor(seen, gearId, nameOf).title}</li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}
