import * as Comlink from 'comlink';
import {
  BOATHOUSE,
  encodeMidi,
  Hub,
  Keyboard,
  Lookahead,
  MidiParser,
  Presses,
  signalKey,
  Studio,
  traffic,
  type SourceSettings,
  type TimedMessage,
} from '@metronomo/core';
import { CLICK_PORT, kindOf, networkPortId, peerKeyOf } from '../ports/port-ids';
import { heartbeat, holdLifeline } from '../workers/lifeline';
import type { Lifeline } from '../workers/worker-link';
import { WireSocket } from '../network/wire-socket';
import { LeaderMemory } from './leader-memory';
import { NoteRecorder } from './note-recorder';
import { MessageLog } from './message-log';
import { packMessages } from './packed-messages';
import { Playback } from './playback';
import {
  RIBBON_LINES,
  type FromHub,
  type HubWorkerApi,
  type PortMessage,
  type StandInAction,
  type ToHub,
  type ToMeasure,
} from './protocol';

const WAKE_MS = 10;
const SNAPSHOT_MS = 33;
const RIBBON_MS = 100;
const MAX_ARRIVALS = 512;
/** Limit between two polls; 300 BPM is 120 ticks a second. */
const MAX_TICKS = 20_000;
/** Limit between two polls: a flooded port doesn't grow without bound. */
const MAX_CAPTURED = 100_000;
const CLOCK = 0xf8;
/** Lead of the test traffic, so that none of it is late. */
const TRAFFIC_LEAD_MS = 600;

/** A window that is busy for longer than this is not waited for. */
const MOST_BUSY_MS = 10_000;
/** Time for the last messages to get from here to the ports. */
const HAND_OVER_MS = 30;

let hub: Hub | null = null;
let timer: ReturnType<typeof setInterval> | undefined;
let studio: Studio | null = null;
let toWindow: MessagePort | null = null;
let toMeasure: MessagePort | null = null;
let offsetToWindowMs = 0;
let snapshotAtMs = 0;
let ribbonAtMs = 0;
let lastWakeMs: number | null = null;
let passedOnMs = -Infinity;
let memory: LeaderMemory | null = null;
let sources: readonly SourceSettings[] = [];
const lookahead = new Lookahead();
const log = new MessageLog();
let ticks: { portId: string; times: number[] }[] = [];
let arrivals: { portId: string; messages: TimedMessage[] } | null = null;
let busyLine: { portId: string; channel: number; sentUntilMs: number } | null = null;

let captured: (PortMessage & { direction: 'in' | 'out' })[] | null = null;
let playback: Playback | null = null;

const notes = new NoteRecorder();
const presses = new Presses();
/** Signals that do something, by port. */
let watched: ReadonlySet<string> = new Set();
let learning = false;

/** The window's clock; a worker's own has another origin. */
const now = () => performance.now() + offsetToWindowMs;

const wire = new WireSocket(now, (state) => post({ kind: 'network', state }));

const api: HubWorkerApi & Lifeline = {
  holdLifeline,
  heartbeat,
  start(timeOrigin, bpm, windowPort, afterMs, led) {
    memory = led && new LeaderMemory(led);
    offsetToWindowMs = performance.timeOrigin - timeOrigin;
    toWindow = windowPort;
    windowPort.onmessage = ({ data }: MessageEvent<ToHub>) => {
      if (data.kind === 'needed') lookahead.needed(data.ms);
      else if (data.kind === 'passedOn') passedOnMs = data.untilMs;
      else received(data.portId, data.bytes, data.atMs);
    };
    hub = new Hub({ bpm });
    // From now on it knows the time, so commands apply from there.
    hub.advance(now(), Math.max(lookahead.wake(now()), afterMs - now()));
    timer = setInterval(wake, WAKE_MS);
  },
  async end() {
    hub?.command({ kind: 'stop' });
    // A follower with a late offset gets its stop late.
    const waitMs = hub ? Math.max(0, hub.lastDueMs - now()) + HAND_OVER_MS : 0;
    await new Promise((resolve) => setTimeout(resolve, waitMs));
    clearInterval(timer);
    hub = null;
  },
  setSong: (song) => hub?.setSong(song),
  setFeeds: (feeds) => hub?.setFeeds(feeds),
  setSources(wanted) {
    sources = wanted;
    hub?.setSources(wanted);
  },
  setLeaders: (order, takeOver) => hub?.setLeaders(order, takeOver),
  setRoutes: (routes) => hub?.setRoutes(routes),
  command: (command) => hub?.command(command),
  planAhead() {
    lookahead.expectBusy(now());
    wake();
  },
  barsAhead: (bars, settleBars) => hub?.barsAhead(bars, settleBars) ?? null,
  offsetOf: (feedId) => hub?.offsetOf(feedId) ?? null,
  handOverClickEarly: (ms) => hub?.handOverEarly(CLICK_PORT, ms),
  sendTest: (messages) => send(messages),
  keepArrivals(portId) {
    const kept = arrivals?.messages ?? [];
    arrivals = portId === null ? null : { portId, messages: [] };
    return kept;
  },
  captureTicks(portIds) {
    ticks = portIds.map((portId) => ({ portId, times: [] }));
  },
  takeTicks() {
    const taken = ticks.map(({ times }) => Float64Array.from(times.splice(0)));
    return taken.some(({ length }) => length > MAX_TICKS) ? null : taken;
  },
  sendTraffic(line) {
    busyLine = line && { ...line, sentUntilMs: now() + TRAFFIC_LEAD_MS };
  },
  recordNotes: (on) => notes.record(on),
  capture(on) {
    captured = on ? [] : null;
  },
  takeCaptured: () => captured?.splice(0) ?? [],
  playBack(stream) {
    playback = stream && new Playback(stream.portId, stream.messages, stream.zeroMs);
  },
  leftToPlay: () => playback?.left ?? 0,
  watchSignals(signals) {
    watched = new Set(signals.map(({ portId, signal }) => `${portId} ${signalKey(signal)}`));
  },
  learnSignal(on) {
    learning = on;
  },
  messagesAfter: (number, most) => log.after(number, most),
  openWire: (door) => wire.open(door),
  useStudio(sound) {
    toMeasure?.close();
    toMeasure = sound;
    if (!sound) studio = null;
    else if (!studio) {
      studio = new Studio(BOATHOUSE);
      for (const port of studio.ports.values()) port.listen((bytes, atMs) => received(port.id, bytes, atMs));
    }
    return { channels: studio?.channels ?? 0, sampleRate: BOATHOUSE.soundInterface.sampleRate };
  },
  atStandIn(action) {
    const [keyboard] = studio?.gear(Keyboard) ?? [];
    if (keyboard) operate(keyboard, action);
  },
};

function operate(keyboard: Keyboard, action: StandInAction): void {
  switch (action.kind) {
    case 'play':
      keyboard.play();
      return;
    case 'stop':
      keyboard.stop();
      return;
    case 'tempo':
      keyboard.turnTempo(action.bpm);
      return;
    case 'cable':
      keyboard.plug(action.plugged);
      return;
    case 'press':
      keyboard.press(action.note, action.velocity, now());
  }
}

function wake(): void {
  if (!hub) return;
  const nowMs = now();
  for (const { bytes, atMs } of playback?.due(nowMs) ?? []) received(playback?.portId ?? '', bytes, atMs);
  for (const { key, bytes, atMs } of wire.due()) received(networkPortId(key), bytes, atMs);
  const aheadMs = lookahead.wake(nowMs);
  send(
    hub.advance(nowMs, aheadMs, heardUntil(nowMs)).map(({ portId, bytes, atMs }) => ({ portId, bytes, atMs })),
    { lastWakeMs },
  );
  lastWakeMs = nowMs;
  notes.follow(hub.gridAt(nowMs));
  sendTraffic(nowMs + aheadMs);
  // What a stand-in sends arrives at its send time, not earlier.
  studio?.advance(nowMs + aheadMs, nowMs);
  passSound(nowMs + aheadMs);
  if (nowMs - snapshotAtMs < SNAPSHOT_MS) return;
  snapshotAtMs = nowMs;
  const readable = nowMs - ribbonAtMs >= RIBBON_MS;
  if (readable) ribbonAtMs = nowMs;
  const ribbon = readable ? log.takeNewest(RIBBON_LINES) : [];
  post({ kind: 'snapshot', snapshot: hub.snapshot(), atMs: nowMs, ribbon });
}

/** While the window is busy, a leader on one of its ports is silent for us only; there is nothing to know beyond that. */
function heardUntil(nowMs: number): number {
  const leading = sources.filter(({ id, gearId = id }) => gearId === hub?.leader);
  const byWindow = leading.some(({ portId }) => kindOf(portId) === 'midi');
  return byWindow ? Math.max(passedOnMs, nowMs - MOST_BUSY_MS) : nowMs;
}

function sendTraffic(untilMs: number): void {
  if (!busyLine || untilMs <= busyLine.sentUntilMs) return;
  const { portId, channel, sentUntilMs } = busyLine;
  busyLine.sentUntilMs = untilMs;
  send(
    traffic(sentUntilMs, untilMs, channel).map(({ message, atMs }) => ({ portId, bytes: encodeMidi(message), atMs })),
  );
}

function received(portId: string, bytes: Uint8Array, atMs: number): void {
  note('in', { portId, bytes, atMs });
  for (const missed of memory?.before(portId, bytes, atMs) ?? []) hub?.receive(portId, missed, atMs);
  const carried = hub?.receive(portId, bytes, atMs) ?? [];
  watchFor(portId, bytes, atMs);
  const grid = hub?.gridAt(atMs);
  if (grid) notes.receive(portId, bytes, atMs, grid);
  send(
    carried.map((one) => ({ portId: one.portId, bytes: one.bytes, atMs: one.atMs })),
    { atOnce: true },
  );
  for (const { portId: from, times } of ticks)
    if (from === portId && times.length <= MAX_TICKS) for (const byte of bytes) if (byte === CLOCK) times.push(atMs);
  if (arrivals?.portId !== portId || arrivals.messages.length >= MAX_ARRIVALS) return;
  arrivals.messages.push(...new MidiParser().push(bytes, atMs));
}

function watchFor(portId: string, bytes: Uint8Array, atMs: number): void {
  if (!learning && watched.size === 0) return;
  for (const press of presses.receive(portId, bytes, atMs)) {
    const learned = learning && press.down;
    if (learned) learning = false;
    if (learned || watched.has(`${portId} ${signalKey(press.signal)}`))
      post({ kind: 'pressed', portId, press, learned });
  }
}

function send(
  messages: PortMessage[],
  { lastWakeMs = null, atOnce = false }: { lastWakeMs?: number | null; atOnce?: boolean } = {},
): void {
  const forWindow = messages.filter((message) => {
    const { portId, bytes, atMs } = message;
    note('out', message);
    // The simulated room has an input for the hub's click too. A routed note is sent after it arrived.
    studio?.ports.get(portId)?.send(bytes, atOnce ? Math.max(atMs, now()) : atMs);
    const kind = kindOf(portId);
    if (kind === 'network') return !wire.send(peerKeyOf(portId) ?? '', bytes, atMs);
    return kind !== 'standIn';
  });
  wire.flush();
  if (forWindow.length === 0) return;
  const packed = packMessages(forWindow);
  post({ kind: 'send', messages: packed, lastWakeMs, atOnce }, [packed.bytes.buffer]);
}

function note(direction: 'in' | 'out', message: PortMessage): void {
  log.note(direction, message);
  if (captured && captured.length < MAX_CAPTURED) captured.push({ ...message, direction });
}

/** The stand-ins are simulated up to the horizon, so their audio is ready in time. */
function passSound(untilMs: number): void {
  const block = studio?.capture(untilMs);
  if (!block) return;
  toMeasure?.postMessage(block satisfies ToMeasure);
  post({ kind: 'block', block });
}

function post(message: FromHub, handedOver: Transferable[] = []): void {
  toWindow?.postMessage(message, handedOver);
}

Comlink.expose(api);
