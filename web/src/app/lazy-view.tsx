import { use, type ComponentType } from 'react';

/** Views whose script couldn't be fetched: each forgets its failure, so that opening it tries again. */
const failed = new Set<() => void>();

/** Called when the musician tries again, or leaves a view that couldn't be loaded. */
export function forgetFailures(): void {
  for (const forget of failed) forget();
  failed.clear();
}

/**
 * A view whose script is loaded when it is opened, or before; it suspends until then. The router's own `lazy` keeps a failure until the page is
 * reloaded, and reloading stops the clock.
 */
export function lazyView(load: () => Promise<ComponentType>): { View: ComponentType; preload(): Promise<unknown> } {
  let loading: Promise<ComponentType> | null = null;
  // A failure stays until it is forgotten: rendering would otherwise fetch again and again.
  const loaded = () => {
    if (!loading) {
      loading = load();
      loading.catch(() => failed.add(() => (loading = null)));
    }
    return loading;
  };
  function View() {
    const Loaded = use(loaded());
    return <Loaded />;
  }
  return { View, preload: () => loaded().catch(forgetFailures) };
}
