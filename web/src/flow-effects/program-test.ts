import { encodeMidi, patchMessages, planProgramTest, type MidiMessage, type ProgramNote } from '@metronomo/core';
import type { Gear, PatchNumber, Take } from '../store/records';
import { useSession } from '../studio/session';
import { recorderAlone, rigInUse } from './experiments';
import { IN_BACKGROUND_MS, sendWhenDue, type Due } from './send-when-due';
import { checkObstacles } from './take-flow';
import { analyzeTake, measureTake, newTake, portsOf, Recorder } from './take-desk';

const LEAD_IN_MS = 500;
const NOTE_LASTS_MS = 200;
const TAIL_MS = 700;
const VELOCITY = 100;

export interface ProgramTest {
  gear: Gear;
  channel: number;
  note: number;
  programs: [PatchNumber, PatchNumber];
}

/** Seconds of a test. */
export const PROGRAM_TEST_SECONDS = Math.round(((planProgramTest(LEAD_IN_MS).at(-1)?.atMs ?? 0) + TAIL_MS) / 1000);

/** How long a device needs to change its program: test notes after changes between two of them. The song doesn’t play. */
export async function runProgramTest(test: ProgramTest): Promise<Take | null> {
  const { gear, programs } = test;
  const rig = rigInUse();
  const recorder = new Recorder();
  const { result } = await measureTake({
    needs: { ports: portsOf([gear]), input: true, motion: false },
    prepare() {
      checkObstacles([gear], { byCalibration: true });
      if (useSession.getState().snapshot.state !== 'stopped')
        throw new Error('Stop playback first. Otherwise the song’s notes would sound among the test notes.');
    },
    start: () => undefined,
    capture: () => {
      const fromMs = performance.now();
      const notes = planProgramTest(fromMs + LEAD_IN_MS);
      const take = newTake(rig, [gear], {
        bpm: useSession.getState().snapshot.bpm,
        drive: 'notes',
        plan: { question: 'program', programs, notes },
      });
      const toMs = (notes.at(-1)?.atMs ?? fromMs) + TAIL_MS;
      const stop = sendWhenDue(messagesOf(test, notes), IN_BACKGROUND_MS);
      const running = recorderAlone(recorder, () => recorder.record(take, fromMs, toMs, 'program changes'));
      return { ...running, done: running.done.finally(stop) };
    },
    analyze: analyzeTake,
    recover: (why) => recorder.recover(why),
    restore: () => undefined,
  });
  return result;
}

/** Each note with its end, so that none is left hanging if the test is finished early. */
function messagesOf(
  { gear: { portId }, channel, note, programs }: ProgramTest,
  notes: readonly ProgramNote[],
): Due[][] {
  const at = (atMs: number, message: MidiMessage): Due => ({ portId: portId ?? '', bytes: encodeMidi(message), atMs });
  const changes = new Map(notes.map(({ atMs, leadMs, program }) => [atMs - leadMs, program]));
  return [
    ...[...changes].map(([atMs, program]) =>
      patchMessages({ channel, ...programs[program] }).map((message) => at(atMs, message)),
    ),
    ...notes.map(({ atMs }) => [
      at(atMs, { kind: 'noteOn', channel, note, velocity: VELOCITY }),
      at(atMs + NOTE_LASTS_MS, { kind: 'noteOff', channel, note, velocity: 0 }),
    ]),
  ].sort(([one], [other]) => (one?.atMs ?? 0) - (other?.atMs ?? 0));
}
