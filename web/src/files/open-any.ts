import { format } from 'date-fns';
import type { CapturedMessage } from '@metronomo/core';
import { tell } from '../app/toast-store';
import { switchRig } from '../hub/session';
import { otherTicks } from '../store/clock-takes';
import { database } from '../store/database';
import { noteEvent } from '../store/events';
import type { CapturedStream, Rig } from '../store/records';
import { freeRigName, saveRig } from '../store/rigs';
import { deleteStream, keepMessages, MOST_KEPT_MESSAGES } from '../store/streams';
import { deleteTake } from '../store/takes';
import { useFilesFlow } from './files-flow';
import { readAny } from './read-any';
import type { TakeFile } from './take-file';
import { FileError } from './text-file';

/** Takes in what somebody opened, each as what it is. Gives true for a ZIP, which is to be looked at first. */
export async function openAny(file: File, rig: Rig): Promise<boolean> {
  useFilesFlow.setState({ problem: null });
  try {
    const opened = await readAny(file, file.name, rig);
    switch (opened.what) {
      case 'archive':
        return true;
      case 'rig': {
        const name = await freeRigName(opened.rig.name);
        await saveRig({ ...opened.rig, name });
        await switchRig(opened.rig.id);
        tell([`${name} was opened, beside the others.`, ...opened.notes].join(' '));
        break;
      }
      case 'measured':
        await takeIn(opened.file, rig, file.name);
        break;
      case 'table': {
        const { take } = opened;
        await database.takes.add(take);
        const names = take.lines.map(({ name }) => name).join(', ');
        tell(`${names} came in from ${file.name}.`, () => void deleteTake(take.id));
        break;
      }
      case 'messages':
        await keepStream(opened.messages, rig, file);
        break;
      case 'sound':
        throw new FileError('This is sound. Drop it on the Bench, under “How late is it on a recording?”.');
    }
    const { what } = opened;
    if (what !== 'rig') await noteEvent({ rigId: rig.id, kind: 'data', lines: [`${file.name} was opened.`] });
  } catch (error) {
    useFilesFlow.setState({ problem: error instanceof Error ? error.message : 'It cannot be read.' });
  }
  return false;
}

/** A take from elsewhere belongs to the rig in use; one that is here already stays as it is. */
async function takeIn(file: TakeFile, rig: Rig, fileName: string): Promise<void> {
  const { take } = file;
  const here = file.what === 'take' ? await database.takes.get(take.id) : await database.clockTakes.get(take.id);
  if (here) throw new FileError(`The take of ${format(take.startedAt, 'd MMM, HH:mm:ss')} is here already.`);
  if (file.what === 'take') {
    // Its sound is another file.
    const status = file.take.status === 'recording' ? 'interrupted' : file.take.status;
    await database.takes.add({ ...file.take, rigId: rig.id, frames: 0, status });
    if (file.run.length > 0)
      await database.ticks.add({ takeId: take.id, index: 0, times: Float64Array.from(file.run) });
  } else {
    await database.clockTakes.add({ ...file.take, rigId: rig.id });
    await database.ticks.add({ takeId: take.id, index: 0, times: Float64Array.from(file.ticksMs) });
    if (file.againstMs.length > 0)
      await database.ticks.add({ takeId: otherTicks(take.id), index: 0, times: Float64Array.from(file.againstMs) });
  }
  tell(`The take in ${fileName} came in.`);
}

async function keepStream(messages: CapturedMessage[], rig: Rig, file: File): Promise<void> {
  if (messages.length === 0)
    throw new FileError('There is no message in this file. A song is opened in Run, under Song.');
  if (messages.length > MOST_KEPT_MESSAGES)
    throw new FileError(`There are more than ${MOST_KEPT_MESSAGES} messages in this file: too many to be kept.`);
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
  tell(`${messages.length} messages came in from ${file.name}.`, () => void deleteStream(stream));
}
