import type { Rig } from '../../store/records';
import { IncomingSyncPanel } from './incoming-sync-panel';
import { NetworkTable } from './network-table';
import { PatchesPanel } from './patches-panel';
import { SetListPanel } from './set-list-panel';
import { SongPanel } from './song-panel';
import { TriggersPanel } from './triggers-panel';

const PANELS = {
  song: SongPanel,
  set: SetListPanel,
  triggers: TriggersPanel,
  patches: PatchesPanel,
  incoming: IncomingSyncPanel,
  network: NetworkTable,
} as const;

/** A panel below the followers that isn’t needed for the first picture. */
export function RunPanel({ panel, rig }: { panel: keyof typeof PANELS; rig: Rig }) {
  const Panel = PANELS[panel];
  return <Panel rig={rig} />;
}
