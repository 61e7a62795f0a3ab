import * as Comlink from 'comlink';
import { formatISO } from 'date-fns';
import { create } from 'zustand';
import { showToast } from '../toasts/toast-store';
import { switchRig } from '../studio/rig';
import { useSession } from '../studio/session';
import { saveFile } from '../parts/save-file';
import { DEMO_DATA, ownDataName } from '../store/database';
import { noteEvent } from '../store/events';
import { newDatabaseName, replaceOwnData } from '../store/own-data';
import { listRigs } from '../store/rigs';
import { WorkerLink } from '../workers/worker-link';
import type { Rig } from '../store/records';
import type { Preference } from './merge';
import type { Preview, FilesWorkerApi } from './protocol';
import type { Opened } from './read-any';
import { FileError } from './text-file';
import { count, whole } from '../words/numbers';

/** The worker that reads and writes files, so that the screen doesn't wait for it. */
const filesLink = new WorkerLink<FilesWorkerApi>({
  name: 'file reader',
  make: () => new Worker(new URL('./files.worker.ts', import.meta.url), { type: 'module', name: 'files' }),
  setUp: () => Promise.resolve(),
  // The operation under way fails, and says so.
  onLost: () => undefined,
  longCalls: ['read', 'writeAll', 'preview', 'merge', 'undoMerge', 'soundOf', 'tableOf', 'sizes'],
});
export const files = filesLink.api;

/**
 * Loads it before anyone needs it, and before the first picture: Chromium's tab crashes if the page is left while a worker
 * is being loaded. If it can't be loaded, the first file operation says so.
 */
export function loadFilesWorker(): Promise<void> {
  return filesLink.start().catch(() => undefined);
}

type FilesFlow =
  | { state: 'idle' }
  | { state: 'working'; doing: string; done: number; all: number }
  | { state: 'looking'; aside: Preview; fileName: string };

/** Current file operation, and why the last one failed. */
export const useFilesFlow = create<{ flow: FilesFlow; problem: string | null }>(() => ({
  flow: { state: 'idle' },
  problem: null,
}));

const idle: FilesFlow = { state: 'idle' };

function progress(doing: string) {
  useFilesFlow.setState({ flow: { state: 'working', doing, done: 0, all: 0 }, problem: null });
  return Comlink.proxy((done: number, all: number) =>
    useFilesFlow.setState(({ flow }) => (flow.state === 'working' ? { flow: { ...flow, done, all } } : {})),
  );
}

function fail(error: unknown): void {
  const problem =
    error instanceof Error ? error.message : 'The file can’t be read. Save or download it again, then retry.';
  useFilesFlow.setState({ flow: idle, problem });
}

/** Exports all of your data, or the demo's, as one ZIP. */
export async function saveAll(which: 'own' | 'demo'): Promise<void> {
  try {
    const zip = await files.writeAll(which === 'demo' ? DEMO_DATA : ownDataName(), progress('Exporting'));
    saveFile(
      `metronomo-${which === 'demo' ? 'demo-' : ''}${formatISO(Date.now(), { representation: 'date' })}.zip`,
      [zip],
      'application/zip',
    );
    useFilesFlow.setState({ flow: idle });
  } catch (error) {
    fail(error);
  }
}

/** What ends the wait for a file that is being read. */
const reading: { cancel: (() => void) | null } = { cancel: null };

/**
 * Reads a single file in the worker: reading and checking a large one takes seconds, in which the clock goes on.
 * @throws Error with a message for the musician, also if it is cancelled.
 */
export async function readFile(file: File, rig: Rig): Promise<Opened> {
  useFilesFlow.setState({ flow: { state: 'working', doing: `Reading ${file.name}`, done: 0, all: 0 }, problem: null });
  // Parsing can't be interrupted; the worker finishes it, and nobody takes the result.
  const cancelled = new Promise<never>((_, reject) => {
    reading.cancel = () => reject(new FileError('Cancelled.'));
  });
  try {
    return await Promise.race([files.read(file, file.name, rig), cancelled]);
  } finally {
    reading.cancel = null;
    useFilesFlow.setState({ flow: idle });
  }
}

/** Reads a ZIP into a separate database for the preview. */
export async function previewFile(file: File): Promise<void> {
  try {
    const targets = { own: ownDataName(), demo: DEMO_DATA };
    const aside = await files.preview(file, newDatabaseName(), targets, progress(`Reading ${file.name}`));
    useFilesFlow.setState({ flow: { state: 'looking', aside, fileName: file.name } });
  } catch (error) {
    fail(error);
  }
}

export function cancelFiles(): void {
  reading.cancel?.();
  void files.cancel();
}

/** Discards the previewed data. */
export async function discardPreview(aside: Preview): Promise<void> {
  useFilesFlow.setState({ flow: idle });
  await files.forget(aside.name);
}

/** Merges the previewed data: adds what is missing, and resolves conflicts by preference. */
export async function mergePreview(aside: Preview, fileName: string, prefer: Preference): Promise<void> {
  try {
    const { added, replaced } = await files.merge(aside, prefer, progress('Merging'));
    useFilesFlow.setState({ flow: idle });
    const { rig } = useSession.getState();
    const said = `Imported ${count(added, 'record')} from ${fileName}${replaced > 0 ? `, replaced ${whole(replaced)}` : ''}.`;
    if (rig) await noteEvent({ rigId: rig.id, kind: 'data', lines: [said] });
    await reloadData();
    showToast(said, () => void undoMerge(fileName));
  } catch (error) {
    fail(error);
  }
}

async function undoMerge(fileName: string): Promise<void> {
  const undone = await files.undoMerge();
  await reloadData();
  showToast(undone ? `Import of ${fileName} undone.` : 'This import can’t be undone any more.');
}

/** The current rig may have changed: load it again. */
async function reloadData(): Promise<void> {
  const { rig } = useSession.getState();
  const rigs = await listRigs();
  const next = rigs.find(({ id }) => id === rig?.id) ?? rigs[0];
  if (next) await switchRig(next.id);
}

/** Replaces your data with the previewed data. The old data is kept and can be restored. Reloads the page. */
export async function replaceWithPreview(aside: Preview): Promise<void> {
  const [first] = aside.contents.rigs;
  replaceOwnData(aside.name);
  if (first) await switchRig(first.id);
  window.location.assign('/logbook/storage');
}
