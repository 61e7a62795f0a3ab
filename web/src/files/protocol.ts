import type { ArchiveContents } from './read-archive';
import type { Rig } from '../store/records';
import type { Differences, Preference } from './merge';
import type { Opened } from './read-any';
import type { Progress } from './zip-entries';

/** Data read from a file, for the preview. */
export interface Preview {
  /** Name of the previewed database, and of the one to merge into. */
  name: string;
  into: string;
  demo: boolean;
  contents: ArchiveContents;
  differences: Differences;
}

export interface FilesWorkerApi {
  /** Reads and checks a single file, as `readAny` does. */
  read(file: Blob, name: string, rig: Rig): Promise<Opened>;
  /** Exports a database as a ZIP. */
  writeAll(name: string, tell: Progress): Promise<Blob>;
  /**
   * Reads a ZIP into a separate database; changes nothing else. Rejects with an error message if it can't be imported.
   */
  preview(file: Blob, asideName: string, targets: { own: string; demo: string }, tell: Progress): Promise<Preview>;
  merge(aside: Preview, prefer: Preference, tell: Progress): Promise<{ added: number; replaced: number }>;
  /** Undoes the last merge. False if there is none to undo. */
  undoMerge(): Promise<boolean>;
  /** Deletes a database. */
  forget(name: string): Promise<void>;
  /** Cancels the current operation. */
  cancel(): void;
  /** A take's audio as a WAV file; null if it has none. */
  soundOf(name: string, takeId: string): Promise<Blob | null>;
  /** All beats of some takes as CSV. */
  tableOf(name: string, takeIds: string[]): Promise<Blob>;
  /** Number of takes, and approximate bytes of audio. */
  sizes(name: string): Promise<{ takes: number; soundBytes: number }>;
}
