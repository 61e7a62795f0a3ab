import { Tabs } from 'radix-ui';
import { AddGearLink } from '../../parts/add-gear-link';
import { usePlan } from '../../align/use-rows';
import { useSession } from '../../studio/session';
import { PanelTabs } from '../../parts/panel-tabs';
import { LinesPanel } from './lines-panel';
import { NextStep } from './next-step';
import { SetsPanel } from './sets-panel';
import { StemsPanel } from './stems-panel';
import { DeviceOffsetsPanel } from './device-offsets-panel';

const PANELS = {
  lines: 'Beat line',
  device: 'Device offsets',
  sets: 'Offset sets',
  stems: 'Stem alignment',
} as const;

/** From measurements to everyone in time: offsets applied and confirmed, for gear and for recorded stems. */
export function AlignView() {
  const rig = useSession(({ rig }) => rig);
  const plan = usePlan();
  if (!rig) return null;
  const toEnter = plan.rows.filter(({ gear, wantedMs }) => gear.offset.where === 'own' && wantedMs).length;
  const panels = { ...PANELS, device: toEnter > 0 ? `${PANELS.device} (${toEnter})` : PANELS.device };
  return (
    <Tabs.Root defaultValue="lines" className="flex flex-col">
      <div className="ruled-b flex flex-wrap items-center gap-x-4 px-5">
        <PanelTabs label="Align panels" panels={panels} className="-ml-4" />
        <span className="flex-1" />
        {plan.rows.length > 0 && <NextStep plan={plan} toleranceMs={rig.align.toleranceMs} />}
      </div>
      <Tabs.Content value="lines">
        {plan.rows.length > 0 ? <LinesPanel plan={plan} rig={rig} /> : <NothingToAlign />}
      </Tabs.Content>
      <Tabs.Content value="device">
        {plan.rows.length > 0 ? <DeviceOffsetsPanel plan={plan} rig={rig} /> : <NothingToAlign />}
      </Tabs.Content>
      <Tabs.Content value="sets">
        <SetsPanel rig={rig} />
      </Tabs.Content>
      <Tabs.Content value="stems">
        <StemsPanel />
      </Tabs.Content>
    </Tabs.Root>
  );
}

function NothingToAlign() {
  return (
    <div className="p-10">
      <h2 className="mb-2 text-lg font-bold">Nothing to align yet</h2>
      <p className="mb-4 max-w-prose text-soft">
        Shows every follower against the beat, before and after its offset is applied.
      </p>
      <AddGearLink />
    </div>
  );
}
