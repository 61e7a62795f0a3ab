import { Suspense } from 'react';
import { useHelp } from '../parts/help';
import { lazyView } from '../parts/lazy-view';

export const helpDialog = lazyView(() => import('./help-dialog').then(({ HelpDialog }) => HelpDialog));

/** Loaded when it is first opened. */
export function Help() {
  const opened = useHelp(({ page }) => page !== null);
  return <Suspense>{opened && <helpDialog.View />}</Suspense>;
}
