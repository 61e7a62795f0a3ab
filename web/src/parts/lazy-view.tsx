import { use, type ComponentType } from 'react';

/** Views whose script couldn't be fetched: each forgets its failure, so that opening it tries again. */
const failed = new Set<() => void>();

/** Called when the musician tries again, or leaves a view that couldn't be loaded. */
export function forgetFailures(): void {
  for (const forget of failed) forget();
  failed.clear();
}

/**
 * A view, or a part of one, whose script is loaded when it is opened, or before; it suspends until then. The router's own
 * `lazy` keeps a failure until the page is reloaded, and reloading stops the clock.
 */
export function lazyView<Props extends object = object>(
  load: () => Promise<ComponentType<Props>>,
): { View: ComponentType<Props>; preload(): Promise<unknown> } {
  let loading: Promise<ComponentType<Props>> | null = null;
  let there: ComponentType<Props> | null = null;
  // A failure stays until it is forgotten: rendering would otherwise fetch again and again.
  const loaded = () => {
    if (!loading) {
      loading = load();
      loading.then(
        (view) => (there = view),
        () => failed.add(() => (loading = null)),
      );
    }
    return loading;
  };
  function View(props: Props) {
    // What is there already is drawn at once, without suspending.
    const Loaded = there ?? use(loaded());
    return <Loaded {...props} />;
  }
  return { View, preload: () => loaded().catch(forgetFailures) };
}
