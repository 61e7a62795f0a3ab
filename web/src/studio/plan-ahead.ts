import { hub } from './workers';

/** A hub that doesn't answer hands nothing over either. */
const LONGEST_WAIT_MS = 100;

/**
 * To be awaited before work that keeps the window busy, such as drawing a view: meanwhile, nothing could be handed to the
 * ports. Resolves once what is due then is there.
 */
export async function planAhead(): Promise<void> {
  await Promise.race([
    hub.planAhead().catch(() => undefined),
    new Promise((resolve) => setTimeout(resolve, LONGEST_WAIT_MS)),
  ]);
}

/** A window that comes back into sight draws all that it didn’t draw before. */
export function planAheadWhenShown(): void {
  document.addEventListener('visibilitychange', () => {
    if (document.visibilityState === 'visible') void planAhead();
  });
}
