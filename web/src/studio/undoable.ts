import { showToast } from '../toasts/toast-store';
import { useSession } from './session';

/** Something outside the rig that can be undone as long as the page is open: a deletion, a correction by hand. */
interface Undoable {
  /** `correction of beat 3, Tide sampler` */
  words: string;
  undo: () => unknown;
  /** Changes of the rig before it, to tell which is newer. */
  rigChanges: number;
}

const MAX_UNDO = 100;
let newestLast: Undoable[] = [];

/** Remembers it; returns a function that undoes it, once. */
export function remember(words: string, undo: () => unknown): () => Promise<void> {
  const one: Undoable = { words, undo, rigChanges: useSession.getState().undo.length };
  newestLast = [...newestLast.slice(1 - MAX_UNDO), one];
  return () => takeBack(one);
}

/** Reports a deletion, with its undo: by a press while the message is shown, and by the keyboard after that. */
export function reportDeleted(words: string, undo: () => unknown): void {
  const undoOnce = remember(words, undo);
  showToast(`${words}.`, () => void undoOnce());
}

/** Undoes the newest of these, unless the rig was changed after it. Returns what it was; null if there was nothing. */
export async function undoNewest(): Promise<string | null> {
  const last = newestLast.at(-1);
  if (!last || useSession.getState().undo.length > last.rigChanges) return null;
  await takeBack(last);
  return last.words;
}

async function takeBack(one: Undoable): Promise<void> {
  if (!newestLast.includes(one)) return;
  newestLast = newestLast.filter((other) => other !== one);
  await one.undo();
}
