import type { ReactNode } from 'react';
import type { GuidePageId } from './guide-pages';
import { openHelp } from './help';

/** Opens a page of the guide. */
export function GuideLink({ page, children }: { page: GuidePageId; children: ReactNode }) {
  return (
    <button type="button" className="underline underline-offset-2 hover:text-ink" onClick={() => openHelp(page)}>
      {children}
    </button>
  );
}
