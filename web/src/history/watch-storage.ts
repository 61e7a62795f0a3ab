import { create } from 'zustand';
import { showToast } from '../toasts/toast-store';
import { saveHeld } from '../store/unsaved';
import { useTakeFlow } from '../flow-effects/take-state';

const LOOK_EVERY_MS = 60_000;
/** A ten-minute take on eight channels is 0.9 GB. */
const TIGHT_BYTES = 1e9;
const TIGHT_SHARE = 0.9;

interface StorageState {
  /** Storage used and available to this page as reported by the browser; null if not reported. */
  usedBytes: number | null;
  mostBytes: number | null;
  /** Whether the browser has granted persistent storage. */
  kept: boolean | null;
  tight: boolean;
}

export const useStorage = create<StorageState>(() => ({ usedBytes: null, mostBytes: null, kept: null, tight: false }));

/**
 * Checks the storage space now and then and warns once before it runs out; requests persistent storage once there is
 * something to keep. Call once.
 */
export function watchStorage(): void {
  void lookAtStorage();
  setInterval(() => void lookAtStorage(), LOOK_EVERY_MS);
  const stop = useTakeFlow.subscribe(({ latest }) => {
    if (!latest) return;
    stop();
    if (useStorage.getState().kept === false) void ask();
  });
}

export async function lookAtStorage(): Promise<void> {
  const { usage, quota } = (await navigator.storage?.estimate().catch(() => null)) ?? {};
  const kept = (await navigator.storage?.persisted?.().catch(() => null)) ?? null;
  const was = useStorage.getState().tight;
  const tight = usage !== undefined && quota !== undefined && isTight(usage, quota);
  if (!tight) await saveHeld();
  useStorage.setState({ usedBytes: usage ?? null, mostBytes: quota ?? null, kept, tight });
  if (tight && !was)
    showToast(
      'Browser storage is nearly full. In the Logbook, export your data as a ZIP (Storage), then delete takes you don’t need (History).',
    );
}

export function isTight(usedBytes: number, mostBytes: number): boolean {
  return mostBytes - usedBytes < TIGHT_BYTES || usedBytes > TIGHT_SHARE * mostBytes;
}

/** Requests persistent storage. */
export async function askToKeep(): Promise<void> {
  if (!(await ask()))
    showToast('The browser may delete this data when disk space runs low. Bookmark or install the app to protect it.');
}

async function ask(): Promise<boolean> {
  const granted = (await navigator.storage?.persist?.().catch(() => false)) ?? false;
  useStorage.setState({ kept: granted });
  return granted;
}
