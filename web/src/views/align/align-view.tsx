import { Tabs } from 'radix-ui';
import { Link } from 'react-router';
import { usePlan } from '../../align/use-rows';
import { useSession } from '../../hub/session';
import { PanelTabs } from '../../parts/panel-tabs';
import { LinesPanel } from './lines-panel';
import { NextStep } from './next-step';
import { SetsPanel } from './sets-panel';
import { StemsPanel } from './stems-panel';
import { TypePanel } from './type-panel';

const PANELS = {
  lines: 'Beat line',
  type: 'What to type',
  sets: 'Sets',
  stems: 'Stems in time',
} as const;

/** From what was measured to everybody on the beat: what to change, applied, and proved; for gear, and for recordings. */
export function AlignView() {
  const rig = useSession(({ rig }) => rig);
  const plan = usePlan();
  if (!rig) return null;
  const toType = plan.rows.filter(({ gear, wantedMs }) => gear.offset.where === 'own' && wantedMs).length;
  const panels = { ...PANELS, type: toType > 0 ? `${PANELS.type} (${toType})` : PANELS.type };
  return (
    <Tabs.Root defaultValue="lines" className="flex flex-col">
      <div className="ruled-b flex flex-wrap items-center gap-x-4 px-5">
        <PanelTabs label="Ways to align" panels={panels} className="-ml-4" />
        <span className="flex-1" />
        {plan.rows.length > 0 && <NextStep plan={plan} toleranceMs={rig.align.toleranceMs} />}
      </div>
      <Tabs.Content value="lines">
        {plan.rows.length > 0 ? <LinesPanel plan={plan} rig={rig} /> : <NobodyYet />}
      </Tabs.Content>
      <Tabs.Content value="type">
        {plan.rows.length > 0 ? <TypePanel plan={plan} rig={rig} /> : <NobodyYet />}
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

function NobodyYet() {
  return (
    <div className="p-10">
      <h2 className="mb-2 text-lg font-bold">Nobody to align yet</h2>
      <p className="mb-4 max-w-prose text-soft">
        Here every follower is drawn against the beat, before and after its offset.
      </p>
      <Link to="/rig" className="border border-ink bg-ink px-3 py-2 text-sm text-sheet">
        Add gear in Rig
      </Link>
    </div>
  );
}
