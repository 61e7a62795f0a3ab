import type { EntryKind } from '../../history/logbook';
import { signed } from '../../parts/words';
import type { HistoryEvent } from '../../store/records';

/** What the kinds of entries are called, in the order of the work. */
export const KIND_WORDS: Readonly<Record<EntryKind, string>> = {
  take: 'Take',
  proof: 'Proof',
  recording: 'Recording',
  offsets: 'Offsets',
  rig: 'Rig',
  fault: 'Fault',
  clock: 'Clock',
  chase: 'Chase',
  tempo: 'Change of tempo',
  drift: 'Drift',
  calibration: 'Audio path',
  loop: 'There and back',
  link: 'Network link',
  data: 'Data',
};

const MOST_NAMED = 4;

/** An event in one line. */
export function eventInWords({ lines, moves = [] }: HistoryEvent): string {
  const moved = moves.map(({ name, fromMs, toMs }) => `${name} ${signed(fromMs)} → ${signed(toMs)} ms`);
  const all = [...moved, ...lines];
  const rest = all.length - MOST_NAMED;
  return all.slice(0, MOST_NAMED).join(' · ') + (rest > 0 ? ` · and ${rest} more` : '');
}
