import { registerSW } from 'virtual:pwa-register';
import { create } from 'zustand';

/** How often a newer version is looked for while the page stays open. */
const LOOK_EVERY_MS = 3_600_000;

/** What browsers offer for installing a page; not in the DOM types. */
interface InstallOffer extends Event {
  prompt(): Promise<{ outcome: 'accepted' | 'dismissed' }>;
}

interface Installed {
  /** A newer version waits. */
  isNewer: boolean;
  /** The browser offers to install the app. */
  offer: InstallOffer | null;
}

export const useInstalled = create<Installed>(() => ({ isNewer: false, offer: null }));

let change: ((reload: boolean) => Promise<void>) | null = null;

/**
 * Keeps the built files in this browser, so that the app starts without its server and without a network. A newer version
 * waits until it is asked for. Call once.
 */
export function keepInstalled(): void {
  window.addEventListener('beforeinstallprompt', (event) => {
    // Offered where it helps, not by a banner of the browser.
    event.preventDefault();
    useInstalled.setState({ offer: event as InstallOffer });
  });
  window.addEventListener('appinstalled', () => useInstalled.setState({ offer: null }));
  change = registerSW({
    onNeedRefresh: () => useInstalled.setState({ isNewer: true }),
    onRegisteredSW: (_, registration) => {
      if (!registration) return;
      // Without a server there is nothing newer.
      setInterval(() => registration.update().catch(() => undefined), LOOK_EVERY_MS);
    },
  });
}

/** Reloads the page with the newer version. */
export function changeToNewer(): void {
  void change?.(true);
}

export async function install(): Promise<void> {
  const { offer } = useInstalled.getState();
  if (!offer) return;
  await offer.prompt();
  // It can be used once only.
  useInstalled.setState({ offer: null });
}
