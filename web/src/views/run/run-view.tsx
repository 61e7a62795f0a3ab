import { Tabs } from 'radix-ui';
import { Suspense, useCallback, useState } from 'react';
import { AddGearLink } from '../../parts/add-gear-link';
import { useSession } from '../../studio/session';
import { useFollowers, type Follower } from '../../studio/use-followers';
import { lazyView } from '../../parts/lazy-view';
import { PanelTabs } from '../../parts/panel-tabs';
import type { Gear } from '../../store/records';
import { FollowerTable } from './follower-table';
import { JoinRow } from './join-row';
import { LatestBeat } from './latest-beat';
import { ListeningPanel } from './listening-panel';
import { PlayRow } from './play-row';

const PANELS = {
  beat: 'Last beat',
  incoming: 'Incoming sync',
  drift: 'Drift',
  song: 'Song',
  set: 'Set list',
  triggers: 'Beat triggers',
  patches: 'Programs',
  network: 'Network',
} as const;

const OTHER_PANELS = ['song', 'set', 'triggers', 'patches', 'incoming', 'network'] as const;

export const runPanel = lazyView(() => import('./run-panel').then(({ RunPanel }) => RunPanel));
/** With the charts, which nothing else of this view needs. */
export const drift = lazyView(() => import('./drift-panel').then(({ DriftPanel }) => DriftPanel));

/** Every follower during playback: its state, beat lamps, recent landings and offset. */
export function RunView() {
  const rig = useSession(({ rig }) => rig);
  const followers = useFollowers();
  const [chosenId, setChosenId] = useState<string | null>(null);
  const choose = useCallback((id: string) => setChosenId((before) => (before === id ? null : id)), []);
  if (!rig) return null;
  if (followers.length === 0) return <NoFollowers />;
  const chosen = followers.find(({ gear }) => gear.id === chosenId) ?? null;
  return (
    <div className="grid min-h-full grid-cols-1 lg:grid-cols-[1fr_236px]">
      <div className="flex min-w-0 flex-col">
        <JoinRow />
        <PlayRow />
        <FromTopOnly followers={followers} />
        <FollowerTable followers={followers} chosenId={chosenId} onChoose={choose} />
        <Tabs.Root defaultValue="beat" className="flex min-h-64 flex-1 flex-col">
          <PanelTabs label="Run details" panels={PANELS} className="ruled-b ruled-t" />
          <Tabs.Content value="beat">
            <LatestBeat followers={chosen ? [chosen] : followers} />
          </Tabs.Content>
          <Tabs.Content value="drift">
            <Suspense>
              <drift.View followers={chosen ? [chosen] : followers} />
            </Suspense>
          </Tabs.Content>
          {OTHER_PANELS.map((panel) => (
            <Tabs.Content key={panel} value={panel}>
              <Suspense>
                <runPanel.View panel={panel} rig={rig} />
              </Suspense>
            </Tabs.Content>
          ))}
        </Tabs.Root>
      </div>
      <ListeningPanel followers={followers} />
    </div>
  );
}

/** Before a start in mid-song: who can't start there. */
function FromTopOnly({ followers }: { followers: readonly Follower[] }) {
  const inMidSong = useSession(({ snapshot }) => snapshot.state === 'stopped' && snapshot.beat > 0);
  const names = followers.flatMap(({ gear }) => (startsFromTop(gear) ? [gear.name] : []));
  if (!inMidSong || names.length === 0) return null;
  return (
    <p role="status" className="ruled-b px-4 py-1.5 text-sm text-attention">
      Can’t start here, only from the top: {names.join(', ')}. In mid-song, they start at their own beginning, on the
      next bar.
    </p>
  );
}

function startsFromTop({ syncsTo, able, sends }: Gear): boolean {
  return syncsTo === 'clock' && able.startStop && sends.transport && (able.fromTopOnly || !able.songPosition);
}

function NoFollowers() {
  return (
    <div className="p-10">
      <h2 className="mb-2 text-lg font-bold">No followers yet</h2>
      <p className="mb-4 max-w-prose text-soft">Each follower appears here with its beat lamps, tempo and landings.</p>
      <AddGearLink />
    </div>
  );
}
