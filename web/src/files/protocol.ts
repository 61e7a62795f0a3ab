import type { ArchiveContents } from './read-archive';
import type { Differences, Preference } from './merge';
import type { Progress } from './zip-entries';

/** Data that came from a file and lie aside, to be looked at first. */
export interface Aside {
  /** Of the data that lie aside, and of those that they would go into. */
  name: string;
  into: string;
  demo: boolean;
  contents: ArchiveContents;
  differences: Differences;
}

export interface FilesWorkerApi {
  /** All of some data as a ZIP. */
  writeAll(name: string, tell: Progress): Promise<Blob>;
  /** Reads a ZIP aside; nothing is changed. Throws an error in words where it cannot be taken. */
  lookInto(file: Blob, asideName: string, targets: { own: string; demo: string }, tell: Progress): Promise<Aside>;
  merge(aside: Aside, prefer: Preference, tell: Progress): Promise<{ added: number; replaced: number }>;
  /** Takes the last merge back. False where there is none any more. */
  undoMerge(): Promise<boolean>;
  /** Throws data away. */
  forget(name: string): Promise<void>;
  /** Ends what is under way. */
  cancel(): void;
  /** A take's sound as a WAV file; null where it has none. */
  soundOf(name: string, takeId: string): Promise<Blob | null>;
  /** All beats of some takes as a table. */
  tableOf(name: string, takeIds: string[]): Promise<Blob>;
  /** How many takes there are, and about how many bytes their sound is. */
  sizes(name: string): Promise<{ takes: number; soundBytes: number }>;
}
