import { Tabs } from 'radix-ui';
import { useNavigate, useParams, useSearchParams } from 'react-router';
import { useSession } from '../../studio/session';
import { PanelTabs } from '../../parts/panel-tabs';
import { ComparePanel } from './compare-panel';
import { FilesPanel } from './files-panel';
import { HistoryPanel } from './history-panel';
import { SessionPaper } from './session-paper';
import { StoragePanel } from './storage-panel';
import { TrendPanel } from './trend-panel';

const PANELS = { history: 'History', trend: 'Trend', files: 'Import and export', storage: 'Storage' } as const;

/** History, trend, import and export, storage. */
export function LogbookView() {
  const rig = useSession(({ rig }) => rig);
  const { panel = 'history' } = useParams();
  const [search] = useSearchParams();
  const navigate = useNavigate();
  const [first, second] = search.get('compare')?.split(',') ?? [];
  if (!rig) return null;
  return (
    <>
      <Tabs.Root
        value={panel in PANELS ? panel : 'history'}
        onValueChange={(value) => void navigate(value === 'history' ? '/logbook' : `/logbook/${value}`)}
        className="flex h-full flex-col print:hidden"
      >
        <div className="ruled-b px-5">
          <PanelTabs label="Logbook sections" panels={PANELS} className="-ml-4" />
        </div>
        <Tabs.Content value="history" className="min-h-0 flex-1">
          {first && second ? (
            <ComparePanel firstId={first} secondId={second} />
          ) : (
            <HistoryPanel key={rig.id} rig={rig} />
          )}
        </Tabs.Content>
        <Tabs.Content value="trend">
          <TrendPanel key={rig.id} rig={rig} />
        </Tabs.Content>
        <Tabs.Content value="files">
          <FilesPanel rig={rig} />
        </Tabs.Content>
        <Tabs.Content value="storage">
          <StoragePanel rig={rig} />
        </Tabs.Content>
      </Tabs.Root>
      <SessionPaper rig={rig} />
    </>
  );
}
