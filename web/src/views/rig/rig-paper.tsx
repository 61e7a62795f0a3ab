import { HUB_ID } from '@metronomo/core';
import { Paper } from '../../parts/paper';
import type { Rig } from '../../store/records';
import { planOf } from '../../store/rig-plan';
import { DevicePapers, StartingOrder } from './device-papers';
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

/** Diagram, leader, starting order and open findings; then a sheet per device. */
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
      <StartingOrder rig={rig} plan={plan} />
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
      <DevicePapers rig={rig} plan={plan} />
    </>
  );
}
