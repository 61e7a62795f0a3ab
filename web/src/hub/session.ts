import * as Comlink from 'comlink';
import type { HubCommand, HubSnapshot } from '@metronomo/core';
import equal from 'fast-deep-equal';
import { create } from 'zustand';
import { tell } from '../app/toast-store';
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
import { forgetReturn, listenToMidiPorts, onMidiIn, onPortChange, sendToMidiPort } from './midi-ports';
import { eachPacked } from './packed-messages';
import { RIBBON_LINES, type FromHub, type HubWorkerApi, type RibbonLine, type ToHub } from './protocol';
import { routesOf, sourcesOf } from './sources';

const RIG_KEY = 'metronomo.rig';
const MOST_UNDO = 100;
const SOUND_LEAD_EVERY_MS = 1000;
/** The hub plans further ahead than this in any case. */
const WORTH_TELLING_MS = 30;
const SAME_BPM = 0.02;

interface SessionState {
  rig: Rig | null;
  snapshot: HubSnapshot;
  /** When the snapshot was taken, in ms of the window's clock. */
  snapshotAtMs: number;
  ribbon: RibbonLine[];
  live: LiveReadings | null;
  /** Of the input in use; null while none is open. */
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
  preRollMs: 0,
  lookaheadMs: 60,
  messages: 0,
  sleeps: 0,
};

/** Everything that the views show of the hub at work. */
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

/** The worker that carries the time. */
export const hub = Comlink.wrap<HubWorkerApi>(
  new Worker(new URL('./hub.worker.ts', import.meta.url), { type: 'module', name: 'hub' }),
);
/** The worker that listens and measures. */
export const measure = Comlink.wrap<MeasureWorkerApi>(
  new Worker(new URL('../measure/measure.worker.ts', import.meta.url), { type: 'module', name: 'measure' }),
);

let referenceBpm = 0;
let toHub: MessagePort | null = null;
let hubSound: MessagePort | null = null;
let audioInput: OpenAudioInput | null = null;

/** Brings the hub up with the rig that was in use last. Call once. */
export async function startSession(): Promise<void> {
  await ensureRigs();
  const rig = (await loadRig(localStorage.getItem(RIG_KEY) ?? 'boathouse')) ?? (await loadRig('boathouse'));
  if (!rig) throw new Error('The demo rig in this browser’s storage is damaged.');
  const messages = new MessageChannel();
  messages.port1.onmessage = ({ data }: MessageEvent<FromHub>) => receive(data);
  toHub = messages.port1;
  onMidiIn((portId, bytes, atMs) => sendToHub({ kind: 'received', portId, bytes, atMs }));
  const sound = new MessageChannel();
  hubSound = sound.port1;
  await hub.start(
    performance.timeOrigin,
    rig.bpm,
    Comlink.transfer(messages.port2, [messages.port2]),
    Comlink.transfer(sound.port2, [sound.port2]),
  );
  // One that was on its way when the input was closed says nothing any more.
  await measure.onLive(Comlink.proxy((live) => useSession.setState(({ input }) => (input ? { live } : {}))));
  onPortChange(({ id, connected }) => {
    const gear = useSession.getState().rig?.gear.find(({ portId }) => portId === id);
    if (!gear || !connected) return;
    command({ kind: 'rejoin', feedId: gear.id });
    if (!gear.able.rearms) forgetReturn(id);
  });
  // Sound may begin only on a press. The first one of all makes it ready, for that holds this thread for a moment.
  for (const press of ['pointerdown', 'keydown']) window.addEventListener(press, () => audioEngine(), { once: true });
  setInterval(() => void hub.handOverClickEarly(clickIsPlayed() ? soundLeadMs() : 0), SOUND_LEAD_EVERY_MS);
  await takeUp(rig);
  connectWire((door) => void hub.openWire(door));
}

/** The hub stops, says so to everybody, and sends nothing more. */
export async function endSession(): Promise<void> {
  await hub.end();
  audioInput?.close();
  audioInput = null;
}

function sendToHub(message: ToHub): void {
  toHub?.postMessage(message);
}

/** Another rig from now on, with its input; what it was sent stops. */
export async function switchRig(id: string): Promise<void> {
  const rig = await loadRig(id);
  if (!rig) return;
  command({ kind: 'stop' });
  localStorage.setItem(RIG_KEY, id);
  await takeUp(rig);
}

async function takeUp(rig: Rig): Promise<void> {
  const kept = rig.demo ? DEMO_DATA : ownDataName();
  keepIn(kept);
  await measure.keepIn(kept);
  useSession.setState({ rig, undo: [], redo: [], live: null });
  for (const takeId of await markInterrupted()) void measure.analyze(takeId);
  for (const takeId of await markClocksInterrupted()) void measure.analyzeClock(takeId);
  await hub.setSong(songOf(rig));
  await hub.setFeeds(feedsOf(rig));
  await listen(rig);
  await handBack();
  // An audio input is opened by the musician's press, never by itself.
  await openInput(rig.input.sourceId.startsWith(AUDIO_PREFIX) ? 'none' : rig.input.sourceId);
}

/** Takes up what the rig says about what is listened to, and what is carried from port to port. */
async function listen(rig: Rig): Promise<void> {
  const returns = rig.gear.flatMap(({ returnChannel }) => returnChannel ?? []);
  useListening.setState({ expected: [rig.input.clickChannel, ...returns] });
  listenToMidiPorts(rig.hubSockets.flatMap(({ direction, portId }) => (direction === 'in' && portId ? [portId] : [])));
  await hub.setSources(sourcesOf(rig));
  await hub.setRoutes(routesOf(rig));
  showNetworkPorts(rig.peers ?? []);
}

/** Whoever is first in the order leads again, if it was lost and another took over: at once, or as soon as it rolls. */
export async function handBack(): Promise<void> {
  const { rig, snapshot } = useSession.getState();
  if (!rig) return;
  await hub.setLeaders(rig.leaders);
  const first = rig.gear.find(({ id }) => id === rig.leaders[0]);
  const rolls = snapshot.sources.some(({ id, state, rolling }) => id === first?.id && state === 'locked' && rolling);
  if (first && !rolls && snapshot.state !== 'stopped')
    tell(`${first.name} leads as soon as its clock is there and it starts: press play on it.`);
}

/** Lets returns come from a source; whatever was open before is closed. Problems stand in `inputProblem`. */
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
  await tellReference();
  return true;
}

function loseInput(): void {
  void measure.endTake('The audio input went away during this take.');
  audioInput?.close();
  audioInput = null;
  useSession.setState({
    input: null,
    live: null,
    inputProblem: 'The audio input went away. Connect it and open it again.',
  });
}

/** The stand-ins' sound always flows to one port; it is passed on while they are the source. */
async function connectStudio(): Promise<void> {
  const { port1, port2 } = new MessageChannel();
  await measure.useSource(Comlink.transfer(port2, [port2]));
  await tellReference();
  if (hubSound) hubSound.onmessage = ({ data }) => port1.postMessage(data);
}

async function tellReference(): Promise<void> {
  const { rig } = useSession.getState();
  if (rig) useListening.setState({ clickChannel: rig.input.clickChannel, solo: null });
  if (rig) await measure.setReference(rig.input.clickChannel, rig.bpm);
}

export function command(order: HubCommand): void {
  void hub.command(order);
}

/** Sends the gear of a take what the take asks for; with nothing given, what the rig says. */
export async function driveGear(drive: Drive = 'clock', gearIds: readonly string[] = []): Promise<void> {
  const { rig } = useSession.getState();
  if (rig) await hub.setFeeds(feedsOf(rig, drive, gearIds));
}

/** Changes the rig in use, in the store and at work; undoable. Throws what the rig's validation throws. */
export async function changeRig(change: (rig: Rig) => Rig): Promise<void> {
  const { rig, undo } = useSession.getState();
  if (!rig) return;
  const next = change(rig);
  checkRig(next);
  useSession.setState({ rig: next, undo: [...undo.slice(-MOST_UNDO), rig], redo: [] });
  await Promise.all([apply(rig, next), store(next)]);
}

/** The change is at work already; where it cannot be kept, that is told. */
async function store(rig: Rig): Promise<void> {
  // After the screen: a press is answered first.
  await new Promise((resolve) => setTimeout(resolve));
  try {
    await storeRig(rig);
  } catch (error) {
    tell(`This change could not be stored: ${error instanceof Error ? error.message : 'the disk may be full'}.`);
  }
}

/** Takes the last change back, or with `redo` makes it again. False when there is none. */
export async function stepBack(direction: 'undo' | 'redo'): Promise<boolean> {
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
  await Promise.all([apply(rig, next), store(next)]);
  return true;
}

/** Takes the latest change back as long as it is the latest; else says what to do. For a message that offers it. */
export function undoWhileLatest(): () => void {
  const { rig: after } = useSession.getState();
  return () => {
    if (useSession.getState().rig === after) void stepBack('undo');
    else tell('Other things were changed since. Ctrl+Z steps back through them one by one.');
  };
}

async function apply(before: Rig, after: Rig): Promise<void> {
  const changed = (...keys: (keyof Rig)[]) => keys.some((key) => before[key] !== after[key]);
  if (changed('bpm', 'song')) await hub.setSong(songOf(after));
  if (changed('gear', 'song')) await hub.setFeeds(feedsOf(after));
  if (changed('gear', 'hubSockets', 'cables', 'following', 'routes', 'input', 'peers')) await listen(after);
  if (changed('leaders')) await handBack();
  if (after.input.sourceId !== before.input.sourceId) await openInput(after.input.sourceId);
  if (changed('bpm', 'input')) await measure.setReference(after.input.clickChannel, after.bpm);
}

function receive(message: FromHub): void {
  switch (message.kind) {
    case 'send':
      handOver(message);
      return;
    case 'snapshot': {
      const { ribbon, rig, snapshot } = useSession.getState();
      const { bpm } = message.snapshot;
      // Returns are read against the tempo that there is now, whoever sets it.
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

function handOver({ messages, lastWakeMs, atOnce }: Extract<FromHub, { kind: 'send' }>): void {
  // Usually some 10 ms; the hub plans ahead for the times when this thread or its own was busy.
  const neededMs = lastWakeMs === null ? 0 : performance.now() - lastWakeMs;
  if (neededMs > WORTH_TELLING_MS) sendToHub({ kind: 'needed', ms: neededMs });
  eachPacked(messages, (portId, bytes, atMs) => {
    if (portId !== CLICK_PORT) sendToMidiPort(portId, bytes, atOnce ? null : atMs);
    else if (clickIsPlayed()) playClick(bytes, atMs);
  });
}

/** Where the returns are heard, the click comes back among them; else it is heard directly. */
function clickIsPlayed(): boolean {
  return useSession.getState().rig?.input.sourceId !== BOATHOUSE_SOURCE && useListening.getState().on;
}

/** The new snapshot, with the very lists of the last one where nothing in them changed: so nobody draws them again. */
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
