import * as Comlink from 'comlink';
import { heartbeat, holdLifeline } from '../workers/lifeline';
import type { Lifeline } from '../workers/worker-link';
import { databaseNamed } from '../store/database';
import { isLongRun } from '../store/take-kind';
import { listOfTakes } from '../history/logbook';
import { differences, merge, undoMerge, type Merged } from './merge';
import type { FilesWorkerApi } from './protocol';
import { readAny } from './read-any';
import { readArchive } from './read-archive';
import { writeTakeCsv } from './take-csv';
import { FileError } from './text-file';
import { soundBlob, writeArchive } from './write-archive';

let stop = new AbortController();
let lastMerge: { into: string; merged: Merged } | null = null;

const begin = () => {
  stop = new AbortController();
  return stop.signal;
};

const api: FilesWorkerApi & Lifeline = {
  holdLifeline,
  heartbeat,
  read: readAny,
  async writeAll(name, tell) {
    return writeArchive(databaseNamed(name), throttled(tell), begin());
  },
  async preview(file, asideName, targets, tell) {
    const aside = databaseNamed(asideName);
    try {
      const contents = await readArchive(file, aside, throttled(tell), begin());
      const demos = contents.rigs.filter(({ demo }) => demo).length;
      if (demos > 0 && demos < contents.rigs.length)
        throw new FileError(
          'This ZIP mixes demo data with your own, which Metronomo stores separately. Export the two as separate ZIPs.',
        );
      const into = demos > 0 ? targets.demo : targets.own;
      return {
        name: asideName,
        into,
        demo: demos > 0,
        contents,
        differences: await differences(aside, databaseNamed(into)),
      };
    } catch (error) {
      await aside.delete();
      throw error;
    }
  },
  async merge({ name, into }, prefer, tell) {
    const merged = await merge(databaseNamed(name), databaseNamed(into), prefer, throttled(tell), begin());
    lastMerge = { into, merged };
    await databaseNamed(name).delete();
    return { added: merged.added.length, replaced: merged.replaced.length };
  },
  async undoMerge() {
    if (!lastMerge) return false;
    await undoMerge(databaseNamed(lastMerge.into), lastMerge.merged);
    lastMerge = null;
    return true;
  },
  forget: (name) => databaseNamed(name).delete(),
  cancel: () => stop.abort(new FileError('Cancelled.')),
  soundOf: (name, takeId) => soundBlob(databaseNamed(name), takeId),
  async tableOf(name, takeIds) {
    return new Blob([writeTakeCsv(await listOfTakes(databaseNamed(name), takeIds))], { type: 'text/csv' });
  },
  async sizes(name) {
    const sizes = { takes: 0, soundBytes: 0 };
    await databaseNamed(name).takes.each(({ frames, lines, beats, plan }) => {
      sizes.takes++;
      if (isLongRun(plan)) return;
      const used = [...lines.map(({ channel }) => channel), 'clickChannel' in beats ? beats.clickChannel : 0];
      sizes.soundBytes += frames * (Math.max(...used) + 1) * 4;
    });
    return sizes;
  },
};

const TELL_EVERY_MS = 100;

/** Throttled to what the screen can show. */
function throttled(tell: (done: number, all: number) => void): (done: number, all: number) => void {
  let lastMs = -Infinity;
  return (done, all) => {
    const now = performance.now();
    if (now - lastMs < TELL_EVERY_MS && done < all) return;
    lastMs = now;
    tell(done, all);
  };
}

Comlink.expose(api);
