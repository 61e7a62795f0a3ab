import type { EntryKind } from '../../history/logbook';
import { signed } from '../../parts/words';
import type { HistoryEvent } from '../../store/records';

/** Labels of the entry kinds, grouped as in the filter. */
export const KIND_WORDS: Readonly<Record<EntryKind, string>> = {
  take: 'Take',
  proof: 'Proof',
  recording: 'Recording',
  chase: 'Chase',
  starts: 'Starts',
  startsBySound: 'Starts by sound',
  tempo: 'Tempo change',
  tempoRun: 'Tempo map',
  drift: 'Drift',
  program: 'Program change',
  clock: 'Clock',
  calibration: 'Audio round trip',
  against: 'Against leader',
  leaderSound: 'Leader’s sound',
  midiReturn: 'Returning MIDI',
  loop: 'Round trip over MIDI',
  link: 'Network link',
  offsets: 'Offsets',
  rig: 'Rig',
  data: 'Import',
  fault: 'Fault',
};

const MAX_NAMED = 4;

/** An event in one line. */
export function eventText({ lines, moves = [] }: HistoryEvent): string {
  const moved = moves.map(({ name, fromMs, toMs }) => `${name} ${signed(fromMs)} → ${signed(toMs)} ms`);
  const all = [...moved, ...lines];
  const rest = all.length - MAX_NAMED;
  return all.slice(0, MAX_NAMED).join(' · ') + (rest > 0 ? ` · ${rest} more` : '');
}
