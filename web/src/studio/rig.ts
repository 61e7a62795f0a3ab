import { AUDIO_PREFIX } from '../audio/audio-input';
import { useListening } from '../audio/listening';
import { networkPorts } from '../ports/network-ports';
import { ports, usePorts } from '../ports/port-registry';
import { databaseNameOf, keepIn } from '../store/database';
import { markClocksInterrupted } from '../store/clock-takes';
import type { Rig } from '../store/records';
import { checkRig } from '../store/rig-schema';
import { loadRig, storeRig } from '../store/rigs';
import { markInterrupted } from '../store/takes';
import { isStorageFull } from '../store/unsaved';
import { showToast } from '../toasts/toast-store';
import { hubPlan, leadersOf } from './hub-plan';
import { inputDesk } from './input';
import { openPeers } from './network-door';
import { useSession } from './session';
import { command, hub, measure } from './workers';

const RIG_KEY = 'metronomo.rig';
const MAX_UNDO = 100;

const leaving = new Set<() => Promise<void>>();

/**
 * Called before another rig is opened, and awaited: what goes on in the rig in use has to end first. Returns an
 * unsubscribe function.
 */
export function onLeavingRig(end: () => Promise<void>): () => void {
  leaving.add(end);
  return () => leaving.delete(end);
}

/** The rig to open at the next start. */
export function chooseRig(id: string): void {
  localStorage.setItem(RIG_KEY, id);
}

export function lastRigId(): string | null {
  return localStorage.getItem(RIG_KEY);
}

/** Switches to another rig and its input; the old rig's feeds stop. */
export async function switchRig(id: string): Promise<void> {
  const rig = await loadRig(id);
  if (!rig) return;
  await Promise.all([...leaving].map((end) => end()));
  command({ kind: 'stop' });
  const before = lastRigId();
  chooseRig(id);
  try {
    await openRig(rig);
  } catch (error) {
    if (before !== null) chooseRig(before);
    throw error;
  }
}

export async function openRig(rig: Rig): Promise<void> {
  const kept = databaseNameOf(rig);
  keepIn(kept);
  await measure.keepIn(kept);
  useSession.setState({ rig, experiment: {}, trialLeader: null, undo: [], redo: [], live: null });
  const closed = 'The page was closed during this take.';
  for (const takeId of await markInterrupted(closed)) measure.analyze(takeId).catch(notAnalyzed);
  for (const takeId of await markClocksInterrupted(closed)) measure.analyzeClock(takeId).catch(notAnalyzed);
  connectPorts(rig);
  await hubPlan.apply();
  await switchBack();
  // An audio input is opened by the musician, never automatically.
  await inputDesk.open(rig.input.sourceId.startsWith(AUDIO_PREFIX) ? 'none' : rig.input.sourceId);
}

function notAnalyzed(error: unknown): void {
  const why = isStorageFull(error)
    ? 'browser storage is full'
    : error instanceof Error
      ? error.message
      : 'unknown error';
  showToast(`An interrupted take was kept, but couldn’t be analyzed (${why}).`);
}

/** Sets which ports this page receives from and shows. */
function connectPorts(rig: Rig): void {
  const returns = rig.gear.flatMap(({ returnChannel }) => returnChannel ?? []);
  useListening.setState({ expected: [rig.input.clickChannel, ...returns] });
  listenTo(rig);
  networkPorts.show(rig.peers ?? [], openPeers());
}

/** An input that a measurement needs and the rig doesn't use. */
let measuredPort: string | null = null;

function listenTo(rig: Rig): void {
  const used = rig.hubSockets.flatMap(({ direction, portId }) => (direction === 'in' && portId ? [portId] : []));
  ports.listenTo(measuredPort === null ? used : [...used, measuredPort]);
}

/** Receives from every input port there is, or only from those in use again. */
export function listenEverywhere(on: boolean): void {
  const { rig } = useSession.getState();
  if (on) ports.listenTo(usePorts.getState().inputs.map(({ id }) => id));
  else if (rig) listenTo(rig);
}

/** Receives from this input port as well, until it is called with null. */
export function listenAlso(portId: string | null): void {
  measuredPort = portId;
  const { rig } = useSession.getState();
  if (rig) listenTo(rig);
}

/** Switches back to the first in the fallback order after it was lost: immediately, or as soon as it rolls. */
export async function switchBack(): Promise<void> {
  const { rig, snapshot, trialLeader } = useSession.getState();
  if (!rig || trialLeader !== null) return;
  const { order, takeOver } = leadersOf(rig);
  await hub.setLeaders(order, takeOver);
  const first = rig.gear.find(({ id }) => id === rig.leaders[0]);
  const rolls = snapshot.sources.some(
    ({ gearId, state, rolling }) => gearId === first?.id && state === 'locked' && rolling,
  );
  if (first && !rolls && snapshot.state !== 'stopped')
    showToast(`${first.name} becomes the leader once its sync arrives and it starts. Press play on the device.`);
}

/** Changes the current rig, live and in storage; undoable. Throws what the rig's validation throws. */
export async function changeRig(change: (rig: Rig) => Rig): Promise<void> {
  const { rig, undo } = useSession.getState();
  if (!rig) return;
  const next = change(rig);
  checkRig(next);
  await takeInUse(rig, next, { undo: [...undo.slice(-MAX_UNDO), rig], redo: [] });
}

/** Undoes the last change, or with `redo` redoes it. False if there is none. */
export async function undoOrRedo(direction: 'undo' | 'redo'): Promise<boolean> {
  const { rig, undo, redo } = useSession.getState();
  const next = (direction === 'undo' ? undo : redo).at(-1);
  if (!rig || !next) return false;
  const stacks =
    direction === 'undo'
      ? { undo: undo.slice(0, -1), redo: [...redo, rig] }
      : { undo: [...undo, rig], redo: redo.slice(0, -1) };
  await takeInUse(rig, next, stacks);
  return true;
}

/** Undo for a toast: undoes the latest change while it is still the latest, else explains what to do. */
export function undoWhileLatest(): () => void {
  const { rig: after } = useSession.getState();
  return () => {
    if (useSession.getState().rig === after) void undoOrRedo('undo');
    else showToast('You’ve made other changes since. Press Ctrl+Z (Cmd+Z on a Mac) to undo them one by one.');
  };
}

async function takeInUse(before: Rig, after: Rig, stacks: { undo: Rig[]; redo: Rig[] }): Promise<void> {
  useSession.setState({ rig: after, ...stacks });
  connectPorts(after);
  await Promise.all([applied(before, after), store(after)]);
}

async function applied(before: Rig, after: Rig): Promise<void> {
  await hubPlan.apply();
  if (before.leaders !== after.leaders) await switchBack();
  if (after.input.sourceId !== before.input.sourceId) await inputDesk.open(after.input.sourceId);
  inputDesk.tellReference();
}

/** Optimistic update: the change is already live. Report it if saving fails. */
async function store(rig: Rig): Promise<void> {
  // After rendering: respond to the click first.
  await new Promise((resolve) => setTimeout(resolve));
  try {
    await storeRig(rig);
  } catch (error) {
    showToast(
      `Change not saved: ${error instanceof Error ? error.message : 'the disk may be full'}. It stays active until you close the page.`,
    );
  }
}
