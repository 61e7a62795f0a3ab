import * as Comlink from 'comlink';
import type { HubCommand, HubSnapshot } from '@metronomo/core';
import equal from 'fast-deep-equal';
import { create } from 'zustand';
import { showToast } from '../app/toast-store';
import { AUDIO_PREFIX, AudioInputError, openAudioInput, type OpenAudioInput } from '../audio/audio-input';
import { audioEngine, soundLeadMs } from '../audio/engine';
import { monitorBlock, playClick, useListening } from '../audio/listening';
import type { LiveReadings, MeasureWorkerApi } from '../measure/protocol';
import { BOATHOUSE_SOURCE } from '../store/boathouse';
import { DEMO_DATA, keepIn, ownDataName } from '../store/database';
import { checkRig } from '../store/rig-schema';
import { ensureRigs, loadRig, storeRig } from '../store/rigs';
import { connectWire, showNetworkPorts, wireChanged } from '../network/network-ports';
import type { Drive, Rig } from '../store/records';
import { markInterrupted } from '../store/takes';
import { markClocksInterrupted } from '../store/clock-takes';
import { CLICK_PORT, feedsOf, songOf } from './feeds';
import { clearReconnected, listenToMidiPorts, onMidiIn, onPortChange, sendToMidiPort } from './midi-ports';
import { eachPacked } from './packed-messages';
import { RIBBON_LINES, type FromHub, type HubWorkerApi, type RibbonLine, type ToHub } from './protocol';
import { routesOf, sourcesOf } from './sources';

const RIG_KEY = 'metronomo.rig';
const MAX_UNDO = 100;
const SOUND_LEAD_EVERY_MS = 1000;
/** Delays below this are covered by the minimum lookahead. */
const WORTH_TELLING_MS = 30;
const SAME_BPM = 0.02;

interface SessionState {
  rig: Rig | null;
  snapshot: HubSnapshot;
  /** Time of the snapshot, in ms of the window's clock. */
  snapshotAtMs: number;
  ribbon: RibbonLine[];
  live: LiveReadings | null;
  /** The open input; null if there is none. */
  input: { label: string; channels: number } | null;
  inputProblem: string | null;
  undo: Rig[];
  redo: Rig[];
}

const AT_REST: HubSnapshot = {
  state: 'stopped',
  beat: 0,
  songMs: 0,
  bpm: 120,
  leader: 'hub',
  sources: [],
  held: [],
  muted: [],
  faults: [],
  preRollMs: 0,
  lookaheadMs: 60,
  messages: 0,
  sleeps: 0,
};

/** Live state of the hub, shared by all views. */
export const useSession = create<SessionState>(() => ({
  rig: null,
  snapshot: AT_REST,
  snapshotAtMs: 0,
  ribbon: [],
  live: null,
  input: null,
  inputProblem: null,
  undo: [],
  redo: [],
}));

/** The worker that runs the hub. */
export const hub = Comlink.wrap<HubWorkerApi>(
  new Worker(new URL('./hub.worker.ts', import.meta.url), { type: 'module', name: 'hub' }),
);
/** The worker that captures and measures. */
export const measure = Comlink.wrap<MeasureWorkerApi>(
  new Worker(new URL('../measure/measure.worker.ts', import.meta.url), { type: 'module', name: 'measure' }),
);

let referenceBpm = 0;
let passedOn: MessageChannel | null = null;
let toHub: MessagePort | null = null;
let hubSound: MessagePort | null = null;
let audioInput: OpenAudioInput | null = null;

/** Starts the hub with the rig last used. Call once. */
export async function startSession(): Promise<void> {
  await ensureRigs();
  const rig = (await loadRig(localStorage.getItem(RIG_KEY) ?? 'boathouse')) ?? (await loadRig('boathouse'));
  if (!rig)
    throw new Error(
      'The demo rig stored in this browser is damaged and can’t be opened. To start over, clear this site’s data in the browser; this also deletes your takes.',
    );
  const messages = new MessageChannel();
  messages.port1.onmessage = ({ data }: MessageEvent<FromHub>) => receive(data);
  toHub = messages.port1;
  // A task of its own, after what waits to be passed on; unlike a timer, it isn't throttled in a hidden tab.
  passedOn = new MessageChannel();
  passedOn.port2.onmessage = ({ data }: MessageEvent<number>) => sendToHub({ kind: 'passedOn', untilMs: data });
  onMidiIn((portId, bytes, atMs) => sendToHub({ kind: 'received', portId, bytes, atMs }));
  const sound = new MessageChannel();
  hubSound = sound.port1;
  await hub.start(
    performance.timeOrigin,
    rig.bpm,
    Comlink.transfer(messages.port2, [messages.port2]),
    Comlink.transfer(sound.port2, [sound.port2]),
  );
  // Ignore an update that was in flight when the input closed.
  await measure.onLive(Comlink.proxy((live) => useSession.setState(({ input }) => (input ? { live } : {}))));
  onPortChange(({ id, direction, connected }) => {
    // A network port has both directions under one id.
    if (!connected || direction === 'in') return;
    const gear = useSession.getState().rig?.gear.filter(({ portId }) => portId === id) ?? [];
    if (gear.length === 0) return;
    command({ kind: 'rejoin', feedId: id });
    if (!gear.some(({ able }) => able.rearms)) clearReconnected(id);
  });
  // Browsers allow audio only after a user gesture. Prepare it on the very first one, because it blocks this thread for
  // a moment.
  for (const press of ['pointerdown', 'keydown']) window.addEventListener(press, () => audioEngine(), { once: true });
  setInterval(() => void hub.handOverClickEarly(clickPlays() ? soundLeadMs() : 0), SOUND_LEAD_EVERY_MS);
  await loadRigInHub(rig);
  connectWire((door) => void hub.openWire(door));
}

/** Stops the hub, sends stop to everyone, then nothing more. */
export async function endSession(): Promise<void> {
  await hub.end();
  audioInput?.close();
  audioInput = null;
}

function sendToHub(message: ToHub): void {
  toHub?.postMessage(message);
}

/** Switches to another rig and its input; the old rig's feeds stop. */
export async function switchRig(id: string): Promise<void> {
  const rig = await loadRig(id);
  if (!rig) return;
  command({ kind: 'stop' });
  localStorage.setItem(RIG_KEY, id);
  await loadRigInHub(rig);
}

async function loadRigInHub(rig: Rig): Promise<void> {
  const kept = rig.demo ? DEMO_DATA : ownDataName();
  keepIn(kept);
  await measure.keepIn(kept);
  useSession.setState({ rig, undo: [], redo: [], live: null });
  for (const takeId of await markInterrupted()) void measure.analyze(takeId);
  for (const takeId of await markClocksInterrupted()) void measure.analyzeClock(takeId);
  await hub.setSong(songOf(rig));
  await hub.setFeeds(feedsOf(rig));
  await reopenInput(rig);
  await switchBack();
  // An audio input is opened by the musician, never automatically.
  await openInput(rig.input.sourceId.startsWith(AUDIO_PREFIX) ? 'none' : rig.input.sourceId);
}

/** Applies the rig's sync inputs and MIDI routes to the hub. */
async function reopenInput(rig: Rig): Promise<void> {
  const returns = rig.gear.flatMap(({ returnChannel }) => returnChannel ?? []);
  useListening.setState({ expected: [rig.input.clickChannel, ...returns] });
  listenToMidiPorts(rig.hubSockets.flatMap(({ direction, portId }) => (direction === 'in' && portId ? [portId] : [])));
  await hub.setSources(sourcesOf(rig));
  await hub.setRoutes(routesOf(rig));
  showNetworkPorts(rig.peers ?? []);
}

/** Switches back to the first in the fallback order after it was lost: immediately, or as soon as it rolls. */
export async function switchBack(): Promise<void> {
  const { rig, snapshot } = useSession.getState();
  if (!rig) return;
  await hub.setLeaders(rig.leaders);
  const first = rig.gear.find(({ id }) => id === rig.leaders[0]);
  const rolls = snapshot.sources.some(
    ({ gearId, state, rolling }) => gearId === first?.id && state === 'locked' && rolling,
  );
  if (first && !rolls && snapshot.state !== 'stopped')
    showToast(`${first.name} becomes the leader once its sync arrives and it starts. Press play on the device.`);
}

/** Opens an audio source, closing the previous one. Problems go to `inputProblem`. */
export async function openInput(sourceId: string): Promise<boolean> {
  audioInput?.close();
  audioInput = null;
  useSession.setState({ input: null, inputProblem: null, live: null });
  const studio = sourceId === BOATHOUSE_SOURCE;
  const channels = await hub.useStudio(studio, studio);
  if (studio) {
    await connectStudio();
    useSession.setState({ input: { label: 'Boathouse interface', channels } });
    return true;
  }
  if (!sourceId.startsWith(AUDIO_PREFIX)) return false;
  const { port1, port2 } = new MessageChannel();
  await measure.useSource(Comlink.transfer(port2, [port2]));
  try {
    audioInput = await openAudioInput(sourceId.slice(AUDIO_PREFIX.length), port1, {
      onClock: (frameZeroMs) => void measure.setFrameZero(frameZeroMs),
      onLost: () => loseInput(),
    });
  } catch (error) {
    if (!(error instanceof AudioInputError)) throw error;
    useSession.setState({ inputProblem: error.message });
    return false;
  }
  useSession.setState({ input: { label: audioInput.label, channels: audioInput.channels } });
  await sendReference();
  return true;
}

function loseInput(): void {
  void measure.endTake('The audio input was disconnected during this take. Reconnect it and repeat the take.');
  audioInput?.close();
  audioInput = null;
  useSession.setState({
    input: null,
    live: null,
    inputProblem: 'The audio input was disconnected. Reconnect it, then open it again.',
  });
}

/** The stand-ins' audio always goes to one port; it is forwarded while they are the source. */
async function connectStudio(): Promise<void> {
  const { port1, port2 } = new MessageChannel();
  await measure.useSource(Comlink.transfer(port2, [port2]));
  await sendReference();
  if (hubSound) hubSound.onmessage = ({ data }) => port1.postMessage(data);
}

async function sendReference(): Promise<void> {
  const { rig } = useSession.getState();
  if (rig) useListening.setState({ clickChannel: rig.input.clickChannel, solo: null });
  if (rig) await measure.setReference(rig.input.clickChannel, rig.bpm);
}

export function command(order: HubCommand): void {
  void hub.command(order);
}

/** Drives the gear as a take requires; without arguments, as the rig says. */
export async function driveGear(drive: Drive = 'clock', gearIds: readonly string[] = []): Promise<void> {
  const { rig } = useSession.getState();
  if (rig) await hub.setFeeds(feedsOf(rig, drive, gearIds));
}

/** Changes the current rig, live and in storage; undoable. Throws what the rig's validation throws. */
export async function changeRig(change: (rig: Rig) => Rig): Promise<void> {
  const { rig, undo } = useSession.getState();
  if (!rig) return;
  const next = change(rig);
  checkRig(next);
  useSession.setState({ rig: next, undo: [...undo.slice(-MAX_UNDO), rig], redo: [] });
  await Promise.all([applyRig(rig, next), store(next)]);
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

/** Undoes the last change, or with `redo` redoes it. False if there is none. */
export async function undoOrRedo(direction: 'undo' | 'redo'): Promise<boolean> {
  const { rig, undo, redo } = useSession.getState();
  const from = direction === 'undo' ? undo : redo;
  const next = from.at(-1);
  if (!rig || !next) return false;
  const rest = from.slice(0, -1);
  useSession.setState(
    direction === 'undo'
      ? { rig: next, undo: rest, redo: [...redo, rig] }
      : { rig: next, redo: rest, undo: [...undo, rig] },
  );
  await Promise.all([applyRig(rig, next), store(next)]);
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

async function applyRig(before: Rig, after: Rig): Promise<void> {
  const changed = (...keys: (keyof Rig)[]) => keys.some((key) => before[key] !== after[key]);
  if (changed('bpm', 'song')) await hub.setSong(songOf(after));
  if (changed('gear', 'song')) await hub.setFeeds(feedsOf(after));
  if (changed('gear', 'hubSockets', 'cables', 'following', 'routes', 'input', 'peers')) await reopenInput(after);
  if (changed('leaders')) await switchBack();
  if (after.input.sourceId !== before.input.sourceId) await openInput(after.input.sourceId);
  if (changed('bpm', 'input')) await measure.setReference(after.input.clickChannel, after.bpm);
}

function receive(message: FromHub): void {
  switch (message.kind) {
    case 'send':
      dispatch(message);
      return;
    case 'snapshot': {
      passedOn?.port1.postMessage(message.atMs);
      const { ribbon, rig, snapshot } = useSession.getState();
      const { bpm } = message.snapshot;
      // Returns are measured against the current tempo, whoever sets it.
      if (rig && Math.abs(bpm - referenceBpm) > SAME_BPM) {
        referenceBpm = bpm;
        void measure.setReference(rig.input.clickChannel, bpm);
      }
      useSession.setState({
        snapshot: keepingSame(snapshot, message.snapshot),
        snapshotAtMs: message.atMs,
        ribbon: message.ribbon.length > 0 ? newest(message.ribbon, ribbon) : ribbon,
      });
      return;
    }
    case 'block':
      monitorBlock(message.block);
      return;
    case 'network':
      wireChanged(message.state, useSession.getState().rig?.peers ?? []);
  }
}

function dispatch({ messages, lastWakeMs, atOnce }: Extract<FromHub, { kind: 'send' }>): void {
  // Usually about 10 ms; the hub plans ahead for when either thread is busy.
  const neededMs = lastWakeMs === null ? 0 : performance.now() - lastWakeMs;
  if (neededMs > WORTH_TELLING_MS) sendToHub({ kind: 'needed', ms: neededMs });
  eachPacked(messages, (portId, bytes, atMs) => {
    if (portId !== CLICK_PORT) sendToMidiPort(portId, bytes, atOnce ? null : atMs);
    else if (clickPlays()) playClick(bytes, atMs);
  });
}

/** If returns are monitored, the click is among them; else it is played directly. */
function clickPlays(): boolean {
  return useSession.getState().rig?.input.sourceId !== BOATHOUSE_SOURCE && useListening.getState().on;
}

/** Structural sharing: reuse unchanged lists so that components don't re-render. */
function keepingSame(before: HubSnapshot, now: HubSnapshot): HubSnapshot {
  const kept = <Key extends 'sources' | 'held' | 'muted'>(key: Key): HubSnapshot[Key] =>
    equal(before[key], now[key]) ? before[key] : now[key];
  return { ...now, sources: kept('sources'), held: kept('held'), muted: kept('muted') };
}

function newest(lines: RibbonLine[], before: RibbonLine[]): RibbonLine[] {
  const same = (a: RibbonLine, b: RibbonLine) =>
    a.portId === b.portId && a.kind === b.kind && a.direction === b.direction;
  return [...lines, ...before.filter((old) => !lines.some((line) => same(line, old)))].slice(0, RIBBON_LINES);
}
