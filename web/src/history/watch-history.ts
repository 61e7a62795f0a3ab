import { HUB_ID } from '@metronomo/core';
import { ports, usePorts } from '../ports/port-registry';
import { useSession } from '../studio/session';
import type { Rig } from '../store/records';
import { count, decimal } from '../words/numbers';
import { noteEvent } from '../store/events';
import { rigChanges } from './rig-changes';

/** Debounce: a drag, typing or a run of nudges is logged as one change after this much quiet. */
const STILL_MS = 3000;
const LATE_EVERY_MS = 10_000;

/** Logs changes to the current rig, and faults during playback. Call once. */
export function watchHistory(): void {
  watchRig();
  watchPorts();
  watchLeader();
  watchLateness();
  watchFaults();
  useSession.subscribe(({ inputProblem, lost, blocked }, before) => {
    if (blocked && blocked !== before.blocked)
      fault(
        `The page was blocked for ${decimal(blocked.ms / 1000, 1)} s. Gear on MIDI ports was stopped and continued in place.`,
        [],
        true,
      );
    if (lost && lost !== before.lost) fault(`${lost.why} It was restarted.`);
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
    if (moves.length > 0) store(noteEvent({ rigId: rig.id, kind: 'offsets', lines: [], gearIds: moved, moves }));
    if (lines.length > 0) store(noteEvent({ rigId: rig.id, kind: 'rig', lines, gearIds }));
  };
  useSession.subscribe(({ rig, undo, redo }, { rig: last }) => {
    if (rig === last || !rig || !last) return;
    // Loading or reloading a rig isn't an edit.
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
  ports.onChange(({ id, name, connected }) => {
    const gear = useSession.getState().rig?.gear.find(({ portId }) => portId === id);
    const whose = gear ? ` (${gear.name})` : '';
    fault(`Port ${name}${whose} ${connected ? 'reconnected' : 'disconnected'}.`, gear ? [gear.id] : [], connected);
  });
}

/** Logs a leader lost during playback, its replacement and its return. A manual change of leader isn't a fault. */
function watchLeader(): void {
  let lostId: string | null = null;
  useSession.subscribe(({ snapshot, rig }, { snapshot: before }) => {
    const [was, is] = [before.leader, snapshot.leader];
    if (is === was || !rig) return;
    const place = (id: string) => rig.leaders.indexOf(id);
    const nameOf = (id: string) => (id === HUB_ID ? 'the hub' : (rig.gear.find((gear) => gear.id === id)?.name ?? id));
    const ids = [is, was].filter((id) => id !== HUB_ID);
    if (rig.takeOver === 'whoeverPlays') {
      const line = `${nameOf(is)} plays and leads; before: ${nameOf(was)}`;
      store(noteEvent({ rigId: rig.id, kind: 'rig', lines: [line], gearIds: ids }));
      return;
    }
    if (place(was) >= 0 && place(is) > place(was)) {
      lostId = was;
      fault(`Lost sync from ${nameOf(was)}. New leader: ${nameOf(is)}.`, ids);
    } else if (is === lostId) {
      lostId = null;
      fault(`Back to leader ${nameOf(is)}; ${nameOf(was)} had taken over.`, ids, true);
    }
  });
}

/** A wire that the hub had to silence. */
function watchFaults(): void {
  useSession.subscribe(({ snapshot, rig }, { snapshot: before }) => {
    for (const { feedId, reason } of snapshot.faults) {
      if (before.faults.some((known) => known.feedId === feedId && known.reason === reason)) continue;
      const gear = rig?.gear.filter(({ portId }) => portId === feedId) ?? [];
      const names = gear.map(({ name }) => name).join(', ') || 'one port';
      fault(
        `Nothing more is sent to ${names}: ${reason}`,
        gear.map(({ id }) => id),
      );
    }
  });
}

/** Late messages in a row are one entry. */
function watchLateness(): void {
  let told = 0;
  let sleeps = 0;
  setInterval(() => {
    const { lateMessages } = usePorts.getState();
    const { snapshot } = useSession.getState();
    if (lateMessages > told)
      fault(
        `${count(lateMessages - told, 'message')} went out late. Close other tabs and programs if this keeps happening.`,
      );
    if (snapshot.sleeps > sleeps) fault('The computer slept. Playback stopped.');
    told = lateMessages;
    sleeps = snapshot.sleeps;
  }, LATE_EVERY_MS);
}

function fault(line: string, gearIds: string[] = [], recovered = false): void {
  const { rig } = useSession.getState();
  if (rig) store(noteEvent({ rigId: rig.id, kind: 'fault', lines: [line], gearIds, recovered }));
}

/** Best effort: a failed log write must never affect playback. */
function store(writing: Promise<unknown>): void {
  writing.catch(() => undefined);
}
