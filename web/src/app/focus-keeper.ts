import { useEffect } from 'react';

const PLACES = '[role=tabpanel], [role=dialog], article, section, aside, main';

/**
 * Focus never falls to the page: where what had it goes away or is disabled, it moves to the nearest place around that is
 * still there, and back once it is enabled again.
 */
export function useFocusKeeper(): void {
  useEffect(() => {
    let last: HTMLElement | null = null;
    let around: Element[] = [];
    let keeper: Element | null = null;
    const note = ({ target }: FocusEvent) => {
      if (!(target instanceof HTMLElement) || target === keeper) return;
      last = target;
      keeper = null;
      around = [];
      for (let one = target.parentElement?.closest(PLACES); one; one = one.parentElement?.closest(PLACES))
        around.push(one);
    };
    const keep = () => {
      const { activeElement } = document;
      if (!last || (activeElement !== null && activeElement !== document.body && activeElement !== keeper)) return;
      if (last.isConnected && !last.matches(':disabled')) {
        // Enabled again: it gets the focus back, unless that was moved on purpose.
        if (activeElement === keeper && keeper) last.focus({ preventScroll: true });
        return;
      }
      if (activeElement === keeper && keeper?.isConnected) return;
      const place = around.find((one) => one.isConnected && one.getClientRects().length > 0);
      if (!(place instanceof HTMLElement)) return;
      keeper = place;
      if (!place.hasAttribute('tabindex')) place.tabIndex = -1;
      place.focus({ preventScroll: true });
    };
    const observer = new MutationObserver(keep);
    observer.observe(document.body, { subtree: true, childList: true, attributeFilter: ['disabled'] });
    document.addEventListener('focusin', note);
    return () => {
      observer.disconnect();
      document.removeEventListener('focusin', note);
    };
  }, []);
}
