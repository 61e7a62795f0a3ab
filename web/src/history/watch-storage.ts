import { create } from 'zustand';
import { tell } from '../app/toast-store';
import { useTakeFlow } from '../measure/take-parts';

const LOOK_EVERY_MS = 60_000;
/** A take of ten minutes on eight channels is 0.9 GB. */
const TIGHT_BYTES = 1e9;
const TIGHT_SHARE = 0.9;

interface StorageState {
  /** What the browser says that this page uses, and how much it may; null where it does not say. */
  usedBytes: number | null;
  mostBytes: number | null;
  /** Whether the browser promised not to clear it away by itself. */
  kept: boolean | null;
  tight: boolean;
}

export const useStorage = create<StorageState>(() => ({ usedBytes: null, mostBytes: null, kept: null, tight: false }));

/**
 * Asks how full it is now and then, and warns once before it is full; and asks the browser to keep it, once there is something to
 * keep. Call once.
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
  useStorage.setState({ usedBytes: usage ?? null, mostBytes: quota ?? null, kept, tight });
  if (tight && !was)
    tell('The browser’s storage is nearly full. Save all data as a ZIP and delete takes: Logbook, Storage.');
}

export function isTight(usedBytes: number, mostBytes: number): boolean {
  return mostBytes - usedBytes < TIGHT_BYTES || usedBytes > TIGHT_SHARE * mostBytes;
}

/** Asks the browser to keep what is stored, whatever else it needs room for. */
export async function askToKeep(): Promise<void> {
  if (!(await ask()))
    tell('The browser did not promise to keep it. It may, once this page is used more, or as a bookmark.');
}

async function ask(): Promise<boolean> {
  const granted = (await navigator.storage?.persist?.().catch(() => false)) ?? false;
  useStorage.setState({ kept: granted });
  return granted;
}
