import * as Comlink from 'comlink';
import { format } from 'date-fns';
import { create } from 'zustand';
import { tell } from '../app/toast-store';
import { switchRig, useSession } from '../hub/session';
import { saveFile } from '../parts/save-file';
import { DEMO_DATA, ownDataName } from '../store/database';
import { noteEvent } from '../store/events';
import { nameForAside, replaceOwnData } from '../store/own-data';
import { listRigs } from '../store/rigs';
import type { Preference } from './merge';
import type { Aside, FilesWorkerApi } from './protocol';

/** The worker that reads and writes files, so that the screen does not wait for it. */
export const files = Comlink.wrap<FilesWorkerApi>(
  new Worker(new URL('./files.worker.ts', import.meta.url), { type: 'module', name: 'files' }),
);

type FilesFlow =
  | { state: 'idle' }
  | { state: 'working'; doing: string; done: number; all: number }
  | { state: 'looking'; aside: Aside; fileName: string };

/** What goes on with files, and why the last one could not be taken. */
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
  const problem = error instanceof Error ? error.message : 'It cannot be read.';
  useFilesFlow.setState({ flow: idle, problem });
}

/** All data as one ZIP: one's own, or the demo's. */
export async function saveAll(which: 'own' | 'demo'): Promise<void> {
  try {
    const zip = await files.writeAll(which === 'demo' ? DEMO_DATA : ownDataName(), progress('Writing all data'));
    saveFile(
      `metronomo-${which === 'demo' ? 'demo-' : ''}${format(Date.now(), 'yyyy-MM-dd')}.zip`,
      [zip],
      'application/zip',
    );
    useFilesFlow.setState({ flow: idle });
  } catch (error) {
    fail(error);
  }
}

/** Reads a ZIP aside, to be looked at. */
export async function lookInto(file: File): Promise<void> {
  try {
    const targets = { own: ownDataName(), demo: DEMO_DATA };
    const aside = await files.lookInto(file, nameForAside(), targets, progress(`Reading ${file.name}`));
    useFilesFlow.setState({ flow: { state: 'looking', aside, fileName: file.name } });
  } catch (error) {
    fail(error);
  }
}

export function cancelFiles(): void {
  void files.cancel();
}

/** What lies aside is thrown away. */
export async function leaveAside(aside: Aside): Promise<void> {
  useFilesFlow.setState({ flow: idle });
  await files.forget(aside.name);
}

/** What is not here yet comes in; of what differs, what is preferred. */
export async function mergeAside(aside: Aside, fileName: string, prefer: Preference): Promise<void> {
  try {
    const { added, replaced } = await files.merge(aside, prefer, progress('Taking it in'));
    useFilesFlow.setState({ flow: idle });
    const { rig } = useSession.getState();
    const said = `${added} records came in from ${fileName}${replaced > 0 ? `, and ${replaced} were replaced` : ''}.`;
    if (rig) await noteEvent({ rigId: rig.id, kind: 'data', lines: [said] });
    await takeUpAnew();
    tell(said, () => void undo(fileName));
  } catch (error) {
    fail(error);
  }
}

async function undo(fileName: string): Promise<void> {
  const undone = await files.undoMerge();
  await takeUpAnew();
  tell(undone ? `What came in from ${fileName} is gone again.` : 'That cannot be undone any more.');
}

/** The rig in use may be another now. */
async function takeUpAnew(): Promise<void> {
  const { rig } = useSession.getState();
  const rigs = await listRigs();
  const next = rigs.find(({ id }) => id === rig?.id) ?? rigs[0];
  if (next) await switchRig(next.id);
}

/**
 * What came from the file is one's own from now on. What was there before is kept beside it, and can be gone back to. The page is
 * loaded anew.
 */
export async function replaceWithAside(aside: Aside): Promise<void> {
  const [first] = aside.contents.rigs;
  replaceOwnData(aside.name);
  if (first) await switchRig(first.id);
  window.location.assign('/logbook/storage');
}
