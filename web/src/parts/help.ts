import { create } from 'zustand';
import { GUIDE_PAGES, type GuidePageId } from './guide-pages';

/** The page of the guide that is open, or the shortcuts; null if help is closed. */
export const useHelp = create<{ page: GuidePageId | 'shortcuts' | null }>(() => ({ page: null }));

export function openHelp(page: GuidePageId | 'shortcuts'): void {
  useHelp.setState({ page });
}

export function closeHelp(): void {
  useHelp.setState({ page: null });
}

/** The page about a view. */
export function pageFor(pathname: string): GuidePageId {
  return GUIDE_PAGES.find(({ path }) => path !== null && pathname.startsWith(path))?.id ?? 'run';
}
