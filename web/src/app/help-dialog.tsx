import { X } from 'lucide-react';
import { Dialog, Tabs } from 'radix-ui';
import { Suspense } from 'react';
import { useLocation } from 'react-router';
import { Select } from '../parts/field';
import { GUIDE_PAGES } from '../parts/guide-pages';
import { closeHelp, openHelp, pageFor, useHelp } from '../parts/help';
import { PanelTabs } from '../parts/panel-tabs';
import { guideText } from './guide';
import { ShortcutsPage } from './shortcuts-page';

/** The guide, shortcuts and theme; not modal, because playback may be running. */
export function HelpDialog() {
  const page = useHelp(({ page }) => page);
  const { pathname } = useLocation();
  const guidePage = page === null || page === 'shortcuts' ? pageFor(pathname) : page;
  return (
    <Dialog.Root open={page !== null} onOpenChange={(open) => !open && closeHelp()} modal={false}>
      <Dialog.Content
        aria-describedby={undefined}
        onInteractOutside={(event) => event.preventDefault()}
        className="fixed top-0 right-0 bottom-8 z-10 flex w-[26rem] max-w-full flex-col border-l border-ink bg-raised shadow-md print:hidden"
      >
        <div className="flex items-center justify-between gap-2 px-5 pt-4">
          <Dialog.Title className="text-lg font-bold">Help</Dialog.Title>
          <Dialog.Close aria-label="Close help" className="p-1.5 text-soft hover:text-ink">
            <X size={18} aria-hidden />
          </Dialog.Close>
        </div>
        <Tabs.Root
          value={page === 'shortcuts' ? 'shortcuts' : 'guide'}
          onValueChange={(tab) => openHelp(tab === 'shortcuts' ? 'shortcuts' : pageFor(pathname))}
          className="flex min-h-0 flex-1 flex-col"
        >
          <PanelTabs
            label="Help panels"
            panels={{ guide: 'Guide', shortcuts: 'Shortcuts and theme' }}
            className="ruled-b px-1"
          />
          <Tabs.Content value="guide" className="min-h-0 flex-1 overflow-auto p-5 text-sm">
            <label htmlFor="guide-page" className="sr-only">
              Page
            </label>
            <div className="mb-4">
              <Select
                id="guide-page"
                value={guidePage}
                onChange={({ target }) => {
                  const chosen = GUIDE_PAGES.find(({ id }) => id === target.value);
                  if (chosen) openHelp(chosen.id);
                }}
              >
                {GUIDE_PAGES.map(({ id, title }) => (
                  <option key={id} value={id}>
                    {title}
                  </option>
                ))}
              </Select>
            </div>
            <Suspense>
              <guideText.View page={guidePage} />
            </Suspense>
          </Tabs.Content>
          <Tabs.Content value="shortcuts" className="min-h-0 flex-1 overflow-auto p-5">
            <ShortcutsPage />
          </Tabs.Content>
        </Tabs.Root>
      </Dialog.Content>
    </Dialog.Root>
  );
}
