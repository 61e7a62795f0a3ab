import { format } from 'date-fns';
import { showToast } from '../../toasts/toast-store';
import { files } from '../../files/files-flow';
import { writeTakeFile } from '../../files/take-file';
import { saveFile } from '../../parts/save-file';
import { loadTicks, otherTicks } from '../../store/clock-takes';
import { database } from '../../store/database';
import type { ClockTake, Take } from '../../store/records';

const nameOf = (take: Take | ClockTake, ending: string) =>
  `metronomo-${format(take.startedAt, 'yyyy-MM-dd-HHmmss')}${ending}`;

export async function saveSound(take: Take): Promise<void> {
  const sound = await files.soundOf(database.name, take.id);
  if (sound) saveFile(nameOf(take, '.wav'), [sound], 'audio/wav');
  else showToast('This take has no audio. It ended before recording began, or only its landings were kept.');
}

export async function saveTake(take: Take): Promise<void> {
  const run = Array.from(await loadTicks(take.id));
  saveFile(nameOf(take, '.take.json'), [writeTakeFile({ what: 'take', take, run })], 'application/json');
}

export async function saveClock(take: ClockTake): Promise<void> {
  const ticksMs = Array.from(await loadTicks(take.id));
  const againstMs = Array.from(await loadTicks(otherTicks(take.id)));
  const text = writeTakeFile({ what: 'clock', take, ticksMs, againstMs });
  saveFile(nameOf(take, '.clock.json'), [text], 'application/json');
}

export async function saveBeats(takeIds: string[], name: string): Promise<void> {
  saveFile(`${name}.csv`, [await files.tableOf(database.name, takeIds)], 'text/csv');
}

export const beatsName = (take: Take): string => nameOf(take, '');
