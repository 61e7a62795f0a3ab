import type { HubSnapshot } from '@metronomo/core';
import * as Comlink from 'comlink';
import { audioEngine, soundLeadMs } from '../audio/engine';
import { useListening } from '../audio/listening';
import type { Led } from '../hub/leader-memory';
import { networkPorts } from '../ports/network-ports';
import { canDisconnect } from '../ports/port-ids';
import { clearReconnected, ports } from '../ports/port-registry';
import { webMidi } from '../ports/web-midi';
import { databaseNameOf, keepIn } from '../store/database';
import type { Rig } from '../store/records';
import { boathouse } from '../store/boathouse';
import { ensureRigs, loadRig } from '../store/rigs';
import { isStorageFull } from '../store/unsaved';
import { showToast } from '../toasts/toast-store';
import { ClickPort, HubLine } from './hub-line';
import { hubPlan } from './hub-plan';
import { inputDesk } from './input';
import { networkDoor } from './network-door';
import { lastRigId, openRig } from './rig';
import { useSession } from './session';
import { command, hub, startWorkers, type HubApi, type MeasureApi } from './workers';

const lines: { current: HubLine | null } = { current: null };

/** Loads the rig last used, and shows it before anything runs. */
export async function showLastRig(): Promise<Rig> {
  const full = await ensureRigs().then(() => false, onlyFull);
  const rig =
    (await loadRig(lastRigId() ?? 'boathouse')) ?? (await loadRig('boathouse')) ?? (full ? boathouse() : null);
  if (!rig)
    throw new Error(
      'The demo rig stored in this browser is damaged and can’t be opened. To start over, clear this site’s data in the browser; this also deletes your takes.',
    );
  keepIn(databaseNameOf(rig));
  useSession.setState({ rig });
  return rig;
}

/** Starts the hub with a rig. Call once. */
export async function startStudio(rig: Rig): Promise<void> {
  for (const adapter of [webMidi, networkPorts, new ClickPort()]) ports.add(adapter);
  await startWorkers({ hub: setUpHub, measure: setUpMeasure, lost: tellLost });
  ports.onChange(({ id, connected }) => connected && rejoin(id));
  // Browsers allow audio only after a user gesture. Prepare it on the very first one, because it blocks this thread for
  // a moment.
  for (const press of ['pointerdown', 'keydown']) window.addEventListener(press, () => audioEngine(), { once: true });
  const opened = await openOrDemo(rig);
  if (opened.gear.some(({ portId }) => portId !== null && canDisconnect(portId))) void webMidi.requestIfGranted();
  void networkDoor.open();
}

/** Without room for anything new, what is stored can still be used, exported and deleted. */
function onlyFull(error: unknown): true {
  if (!isStorageFull(error)) throw error;
  showToast('Browser storage is full, so nothing new can be saved. Delete takes you don’t need in Logbook.');
  return true;
}

/** A rig that can't be opened doesn't keep the app from starting. */
async function openOrDemo(rig: Rig): Promise<Rig> {
  const demo = rig.demo ? null : await loadRig('boathouse');
  try {
    await openRig(rig);
    return rig;
  } catch (error) {
    if (!demo) throw error;
    await openRig(demo);
    const why = error instanceof Error ? error.message : 'unknown error';
    showToast(`${rig.name} couldn’t be opened (${why}), so the demo is open. Your data is unchanged.`);
    return demo;
  }
}

/** Stops the hub, sends stop to everyone, then nothing more. */
export async function endStudio(): Promise<void> {
  await hub.end();
  inputDesk.close();
}

function rejoin(portId: string): void {
  const gear = useSession.getState().rig?.gear.filter((one) => one.portId === portId) ?? [];
  if (gear.length === 0) return;
  command({ kind: 'rejoin', feedId: portId });
  if (!gear.some(({ able }) => able.rearms)) clearReconnected(portId);
}

async function setUpHub(api: HubApi, before: string | null): Promise<void> {
  lines.current?.close();
  const line = new HubLine();
  lines.current = line;
  const { snapshot, snapshotAtMs } = useSession.getState();
  await api.start(
    performance.timeOrigin,
    snapshot.bpm,
    line.portForWorker,
    snapshotAtMs + snapshot.lookaheadMs + soundLeadMs(),
    before === null ? null : clockThatLed(snapshot, snapshotAtMs),
  );
  if (before === null) return;
  await hubPlan.apply(api, 'newHub');
  const { willRoll, beat, songMs, bpm, leader, held, muted, onTicks } = snapshot;
  for (const feedId of held) await api.command({ kind: 'hold', feedId });
  for (const feedId of muted) await api.command({ kind: 'mute', feedId, muted: true });
  await api.command({
    kind: 'resume',
    rolled: willRoll ? { beat, songMs, atMs: snapshotAtMs, bpm, leader, onTicks } : null,
  });
  // After it may be used by everyone: these wait for it.
  void inputDesk.reconnect('hub');
  void networkDoor.open();
}

/** The clock that led, while the hub rolled; null if another kind of source did, or none. */
function clockThatLed({ willRoll, leader, sources, beat, bpm, onTicks }: HubSnapshot, atMs: number): Led | null {
  const source = sources.find(
    ({ gearId, receiving, rolling }) => gearId === leader && receiving === 'clock' && rolling,
  );
  return willRoll && source && !onTicks ? { portId: source.portId, beat, atMs, bpm } : null;
}

async function setUpMeasure(api: MeasureApi, before: string | null): Promise<void> {
  // Ignore an update that was in flight when the input closed. While inputs are heard, the click is late on purpose.
  await api.onLive(
    Comlink.proxy((live) =>
      useSession.setState(({ input }) => (input && !useListening.getState().input ? { live } : {})),
    ),
  );
  if (before === null) return;
  const { rig } = useSession.getState();
  if (rig) await api.keepIn(databaseNameOf(rig));
  void inputDesk.reconnect('measure');
}

function tellLost(which: 'hub' | 'measure', why: string, again: boolean): void {
  useSession.setState({ lost: { which, why } });
  if (again) showToast(`${why} It was restarted${which === 'hub' ? ', and playback resumed' : ''}.`);
}
