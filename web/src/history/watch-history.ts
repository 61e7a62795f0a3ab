import { HUB_ID } from '@metronomo/core';
import { onPortChange, useMidiPorts } from '../hub/midi-ports';
import { useSession } from '../hub/session';
import type { Rig } from '../store/records';
import { noteEvent } from '../store/events';
import { rigChanges } from './rig-changes';

/** Dragging, typing and nudging are one change: it is written down once all has been still for so long. */
const STILL_MS = 3000;
const LATE_EVERY_MS = 10_000;

/** Writes down what is changed in the rig in use, and what goes wrong while it runs. Call once. */
export function watchHistory(): void {
  watchRig();
  watchPorts();
  watchLeader();
  watchLateness();
  useSession.subscribe(({ inputProblem }, before) => {
    if (inputProblem && inputProblem !== before.inputProblem) fault(inputProblem);
  });
}

function watchRig(): void {
  let before: Rig | null = null;
  let timer: ReturnType<typeof setTimeout> | undefined;
  const write = () => {
    clearTimeout(timer);
    const { rig } = useSession.getState();
    const from = before;
    before = null;
    if (!from || !rig || from.id !== rig.id) return;
    const { moves, lines, gearIds } = rigChanges(from, rig);
    const moved = moves.map(({ gearId }) => gearId);
    if (moves.length > 0) keep(noteEvent({ rigId: rig.id, kind: 'offsets', lines: [], gearIds: moved, moves }));
    if (lines.length > 0) keep(noteEvent({ rigId: rig.id, kind: 'rig', lines, gearIds }));
  };
  useSession.subscribe(({ rig, undo, redo }, { rig: last }) => {
    if (rig === last || !rig || !last) return;
    // A rig that was taken up, also the same anew, is no change of it.
    if (undo.length + redo.length === 0) {
      clearTimeout(timer);
      before = null;
      return;
    }
    before ??= last;
    clearTimeout(timer);
    timer = setTimeout(write, STILL_MS);
  });
  window.addEventListener('pagehide', write);
}

function watchPorts(): void {
  onPortChange(({ id, name, connected }) => {
    const gear = useSession.getState().rig?.gear.find(({ portId }) => portId === id);
    const whose = gear ? `, which leads to ${gear.name},` : '';
    fault(`The port ${name}${whose} ${connected ? 'came back' : 'went away'}.`, gear ? [gear.id] : []);
  });
}

/** Whoever was lost while all rolled, who took over, and that it leads again. Another order by hand is no fault. */
function watchLeader(): void {
  let lostId: string | null = null;
  useSession.subscribe(({ snapshot, rig }, { snapshot: before }) => {
    const [was, is] = [before.leader, snapshot.leader];
    if (is === was || !rig) return;
    const place = (id: string) => rig.leaders.indexOf(id);
    const nameOf = (id: string) => (id === HUB_ID ? 'the hub' : (rig.gear.find((gear) => gear.id === id)?.name ?? id));
    const ids = [is, was].filter((id) => id !== HUB_ID);
    if (place(was) >= 0 && place(is) > place(was)) {
      lostId = was;
      fault(`${nameOf(was)} was lost; ${nameOf(is)} leads now.`, ids);
    } else if (is === lostId) {
      lostId = null;
      fault(`${nameOf(is)} leads again; ${nameOf(was)} led meanwhile.`, ids);
    }
  });
}

/** A row of late messages is one entry. */
function watchLateness(): void {
  let told = 0;
  let sleeps = 0;
  setInterval(() => {
    const { lateMessages } = useMidiPorts.getState();
    const { snapshot } = useSession.getState();
    if (lateMessages > told) fault(`${lateMessages - told} messages were handed to a port after they were due.`);
    if (snapshot.sleeps > sleeps)
      fault('This computer was away for a moment: the hub went on where time had gone on to.');
    told = lateMessages;
    sleeps = snapshot.sleeps;
  }, LATE_EVERY_MS);
}

function fault(line: string, gearIds: string[] = []): void {
  const { rig } = useSession.getState();
  if (rig) keep(noteEvent({ rigId: rig.id, kind: 'fault', lines: [line], gearIds }));
}

/** The logbook is written beside the work: what cannot be kept there stops nothing. */
function keep(written: Promise<unknown>): void {
  written.catch(() => undefined);
}
