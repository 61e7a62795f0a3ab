import type { CapturedMessage } from '@metronomo/core';
import { showToast } from '../toasts/toast-store';
import { switchRig } from '../studio/rig';
import { otherTicks } from '../store/clock-takes';
import { database } from '../store/database';
import { noteEvent } from '../store/events';
import { knownIntact } from '../store/quarantine';
import type { CapturedStream, Rig } from '../store/records';
import { freeRigName, saveRig } from '../store/rigs';
import { deleteStream, keepMessages, MAX_KEPT_MESSAGES } from '../store/streams';
import { deleteTake } from '../store/takes';
import { readFile, useFilesFlow } from './files-flow';
import type { TakeFile } from './take-file';
import { FileError } from './text-file';
import { exactDayAndTime } from '../parts/dates';
import { count } from '../words/numbers';

/** Imports a file by its type. Returns true for a ZIP, which needs a preview first. */
export async function openAny(file: File, rig: Rig): Promise<boolean> {
  useFilesFlow.setState({ problem: null });
  try {
    const opened = await readFile(file, rig);
    switch (opened.what) {
      case 'archive':
        return true;
      case 'rig': {
        const name = await freeRigName(opened.rig.name);
        await saveRig({ ...opened.rig, name });
        await switchRig(opened.rig.id);
        showToast([`Imported ${name} as a new rig.`, ...opened.notes].join(' '));
        break;
      }
      case 'measured':
        await importTake(opened.file, rig, file.name);
        break;
      case 'table': {
        const { take } = opened;
        knownIntact(database, 'takes', take.id);
        await database.takes.add(take);
        const names = take.lines.map(({ name }) => name).join(', ');
        showToast(`Imported ${names} from ${file.name}.`, () => void deleteTake(take.id));
        break;
      }
      case 'messages':
        await keepStream(opened.messages, rig, file);
        break;
      case 'sound':
        throw new FileError(
          'This is an audio file. To measure it, drop it on the Bench under “How late is a recorded part?”.',
        );
    }
    const { what } = opened;
    if (what !== 'rig') await noteEvent({ rigId: rig.id, kind: 'data', lines: [`Imported ${file.name}`] });
  } catch (error) {
    useFilesFlow.setState({
      problem:
        error instanceof Error ? error.message : 'The file can’t be read. Save or download it again, then retry.',
    });
  }
  return false;
}

/** An imported take belongs to the current rig; one that already exists is left alone. */
async function importTake(file: TakeFile, rig: Rig, fileName: string): Promise<void> {
  const { take } = file;
  const here = file.what === 'take' ? await database.takes.get(take.id) : await database.clockTakes.get(take.id);
  if (here) throw new FileError(`The take of ${exactDayAndTime(take.startedAt)} is already in the Logbook.`);
  if (file.what === 'take') {
    // Its audio is a separate file.
    const status = file.take.status === 'recording' ? 'interrupted' : file.take.status;
    knownIntact(database, 'takes', file.take.id);
    await database.takes.add({ ...file.take, rigId: rig.id, frames: 0, status });
    if (file.run.length > 0)
      await database.ticks.add({ takeId: take.id, index: 0, times: Float64Array.from(file.run) });
  } else {
    knownIntact(database, 'clockTakes', file.take.id);
    await database.clockTakes.add({ ...file.take, rigId: rig.id });
    await database.ticks.add({ takeId: take.id, index: 0, times: Float64Array.from(file.ticksMs) });
    if (file.againstMs.length > 0)
      await database.ticks.add({ takeId: otherTicks(take.id), index: 0, times: Float64Array.from(file.againstMs) });
  }
  showToast(`Imported the take from ${fileName}.`);
}

async function keepStream(messages: CapturedMessage[], rig: Rig, file: File): Promise<void> {
  if (messages.length === 0)
    throw new FileError('This file contains no MIDI messages. To import a song, open it in Run under Song.');
  if (messages.length > MAX_KEPT_MESSAGES)
    throw new FileError(
      `This file has more than ${count(MAX_KEPT_MESSAGES, 'message')}, which is the limit. Split it and import the parts.`,
    );
  const stream: CapturedStream = {
    id: crypto.randomUUID(),
    rigId: rig.id,
    name: file.name.slice(0, 120),
    startedAt: file.lastModified,
    status: 'done',
    messages: messages.length,
    durationMs: messages.at(-1)?.atMs ?? 0,
  };
  await keepMessages(database, stream, messages);
  showToast(`Imported ${count(messages.length, 'message')} from ${file.name}.`, () => void deleteStream(stream));
}
