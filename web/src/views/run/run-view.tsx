import { Tabs } from 'radix-ui';
import { useCallback, useState } from 'react';
import { Link } from 'react-router';
import { useSession } from '../../hub/session';
import { useFollowers } from '../../hub/use-followers';
import { PanelTabs } from '../../parts/panel-tabs';
import { DriftPanel } from './drift-panel';
import { FollowerTable } from './follower-table';
import { LatestBeat } from './latest-beat';
import { LeaderPanel } from './leader-panel';
import { LeanButtons } from './lean-buttons';
import { NetworkTable } from './network-table';
import { ListeningPanel } from './listening-panel';
import { SongPanel } from './song-panel';
import { TriggersPanel } from './triggers-panel';

const PANELS = {
  beat: 'The newest beat',
  song: 'Song',
  drift: 'Drift',
  triggers: 'Beat triggers',
  leader: 'What comes in',
  network: 'Network',
} as const;

/** Every follower at work: what it is sent, how it stands, and where its last beats landed. */
export function RunView() {
  const rig = useSession(({ rig }) => rig);
  const followers = useFollowers();
  const [chosenId, setChosenId] = useState<string | null>(null);
  const choose = useCallback((id: string) => setChosenId((before) => (before === id ? null : id)), []);
  if (!rig) return null;
  if (followers.length === 0) return <NobodyYet />;
  const chosen = followers.find(({ gear }) => gear.id === chosenId) ?? null;
  return (
    <div className="grid min-h-full grid-cols-1 lg:grid-cols-[1fr_236px]">
      <div className="flex min-w-0 flex-col">
        <FollowerTable followers={followers} chosenId={chosenId} onChoose={choose} />
        <Tabs.Root defaultValue="beat" className="flex min-h-64 flex-1 flex-col">
          <div className="ruled-b ruled-t flex flex-wrap items-center gap-x-2 pr-4">
            <PanelTabs label="Below the followers" panels={PANELS} className="flex-1 max-sm:basis-full" />
            <LeanButtons follower={chosen} />
          </div>
          <Tabs.Content value="beat">
            <LatestBeat followers={chosen ? [chosen] : followers} />
          </Tabs.Content>
          <Tabs.Content value="song">
            <SongPanel rig={rig} />
          </Tabs.Content>
          <Tabs.Content value="drift">
            <DriftPanel followers={chosen ? [chosen] : followers} />
          </Tabs.Content>
          <Tabs.Content value="triggers">
            <TriggersPanel rig={rig} />
          </Tabs.Content>
          <Tabs.Content value="leader">
            <LeaderPanel rig={rig} />
          </Tabs.Content>
          <Tabs.Content value="network">
            <NetworkTable />
          </Tabs.Content>
        </Tabs.Root>
      </div>
      <ListeningPanel followers={followers} />
    </div>
  );
}

function NobodyYet() {
  return (
    <div className="p-10">
      <h2 className="mb-2 text-lg font-bold">Nobody follows yet</h2>
      <p className="mb-4 max-w-prose text-soft">
        Here stands every follower with its lamps, its tempo and where its beats land.
      </p>
      <Link to="/rig" className="border border-ink bg-ink px-3 py-2 text-sm text-sheet">
        Add gear in Rig
      </Link>
    </div>
  );
}
