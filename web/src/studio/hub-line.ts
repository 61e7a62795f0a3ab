import type { HubSnapshot } from '@metronomo/core';
import * as Comlink from 'comlink';
import equal from 'fast-deep-equal';
import { audioBufferMs, soundLeadMs } from '../audio/engine';
import { monitorBlock, playClick, useListening } from '../audio/listening';
import { eachPacked } from '../hub/packed-messages';
import { StaleGate } from '../hub/stale-gate';
import { RIBBON_LINES, type FromHub, type RibbonLine, type ToHub } from '../hub/protocol';
import type { MidiPort, PortAdapter, Sent } from '../ports/port-adapter';
import { kindOf } from '../ports/port-ids';
import { ports } from '../ports/port-registry';
import { BOATHOUSE_SOURCE } from '../store/boathouse';
import { controlDesk } from './controls';
import { inputDesk } from './input';
import { networkDoor } from './network-door';
import { useSession } from './session';
import { command, hub } from './workers';
import { passedOn } from './transit';

/** Where less motion is preferred, positions are shown this often at most. */
const CALM_EVERY_MS = 200;
/** Delays below this are covered by the minimum lookahead. */
const WORTH_TELLING_MS = 30;
const SOUND_LEAD_EVERY_MS = 1000;

/** Everything that comes from the hub's worker without being asked for, and what goes there without an answer. */
export class HubLine {
  readonly #toWorker: MessagePort;
  readonly #forWorker: MessagePort;
  readonly #passedOn = new MessageChannel();
  readonly #gate = new StaleGate();
  readonly #forget: () => void;

  constructor() {
    const messages = new MessageChannel();
    this.#toWorker = messages.port1;
    this.#forWorker = messages.port2;
    this.#toWorker.onmessage = ({ data }: MessageEvent<FromHub>) => this.#receive(data);
    // A task of its own, after what waits to be passed on; unlike a timer, it isn't throttled in a hidden tab.
    this.#passedOn.port2.onmessage = ({ data }: MessageEvent<number>) => this.post({ kind: 'passedOn', untilMs: data });
    this.#forget = ports.onReceived((portId, bytes, atMs) => this.post({ kind: 'received', portId, bytes, atMs }));
  }

  /** The worker's end. */
  get portForWorker(): MessagePort {
    return Comlink.transfer(this.#forWorker, [this.#forWorker]);
  }

  post(message: ToHub): void {
    this.#toWorker.postMessage(message);
  }

  close(): void {
    this.#forget();
    this.#toWorker.close();
    this.#passedOn.port1.close();
  }

  #receive(message: FromHub): void {
    switch (message.kind) {
      case 'send':
        this.#send(message);
        return;
      case 'snapshot':
        this.#passedOn.port1.postMessage(message.atMs);
        show(message);
        inputDesk.tellReference();
        return;
      case 'block':
        monitorBlock(message.block);
        return;
      case 'pressed':
        controlDesk.pressed(message);
        return;
      case 'network':
        networkDoor.changed(message.state);
    }
  }

  #send({ messages, lastWakeMs, atOnce }: Extract<FromHub, { kind: 'send' }>): void {
    // Usually about 10 ms; the hub plans ahead for when either thread is busy.
    const neededMs = lastWakeMs === null ? 0 : performance.now() - lastWakeMs;
    if (neededMs > WORTH_TELLING_MS) this.post({ kind: 'needed', ms: neededMs });
    const nowMs = performance.now();
    const beatMs = 60_000 / useSession.getState().snapshot.bpm;
    eachPacked(messages, (portId, bytes, atMs) => {
      if (atOnce) this.#passOn(portId, bytes, atMs);
      else if (this.#gate.admits(portId, bytes, atMs, nowMs, beatMs)) ports.send(portId, bytes, atMs);
    });
    this.#continueAfterGap(nowMs);
  }

  /** A routed message: at once, unless its route has a delay. */
  #passOn(portId: string, bytes: Uint8Array, atMs: number): void {
    const nowMs = performance.now();
    if (atMs > nowMs) {
      ports.send(portId, bytes, atMs);
      return;
    }
    ports.send(portId, bytes, null);
    passedOn(portId, nowMs - atMs, nowMs);
  }

  /** As after a cable was unplugged: the gear is stopped, positioned and continued on the grid. */
  #continueAfterGap(nowMs: number): void {
    const ended = this.#gate.takeEnded().filter(({ portId }) => kindOf(portId) === 'midi');
    if (ended.length === 0) return;
    for (const { portId } of ended) command({ kind: 'rejoin', feedId: portId });
    const sinceMs = Math.min(...ended.map((one) => one.sinceMs));
    useSession.setState({ blocked: { ms: nowMs - sinceMs, atMs: nowMs } });
  }
}

const lessMotion = matchMedia('(prefers-reduced-motion: reduce)');
/** Whatever the motion, these are shown at once. */
const AT_ONCE = ['state', 'willRoll', 'leader', 'bpm', 'winds', 'records', 'songsEnded'] as const;
let waitingLines: RibbonLine[] = [];

function show({ snapshot: now, atMs, ribbon: lines }: Extract<FromHub, { kind: 'snapshot' }>): void {
  const { ribbon, snapshot, snapshotAtMs } = useSession.getState();
  if (lines.length > 0) waitingLines = newest(lines, waitingLines);
  const onlyMoved = AT_ONCE.every((key) => snapshot[key] === now[key]);
  if (onlyMoved && lessMotion.matches && atMs - snapshotAtMs < CALM_EVERY_MS) return;
  useSession.setState({
    snapshot: keepingSame(snapshot, now),
    snapshotAtMs: atMs,
    ribbon: waitingLines.length > 0 ? newest(waitingLines, ribbon) : ribbon,
  });
  waitingLines = [];
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

/** The hub's click, out of the speakers. */
export class ClickPort implements PortAdapter {
  readonly kind = 'click';
  readonly #timer = setInterval(() => {
    void hub.handOverClickEarly(clickPlays() ? soundLeadMs() : 0);
    const bufferMs = audioBufferMs();
    // Not reported while no audio flows: the last one still holds.
    if (bufferMs !== null) useSession.setState({ bufferMs: Math.round(bufferMs) });
  }, SOUND_LEAD_EVERY_MS);

  begin(): void {
    // Nothing arrives here, and it can't be unplugged.
  }

  list(): MidiPort[] {
    return [];
  }

  listenTo(): void {
    // An output only.
  }

  send(_portId: string, bytes: Uint8Array, atMs: number | null): Sent {
    if (clickPlays()) playClick(bytes, atMs ?? performance.now());
    return 'sent';
  }

  stopNow(): void {
    // The page's sound ends with the page.
  }

  close(): void {
    clearInterval(this.#timer);
  }
}

/** If returns are monitored, the click is among them; else it is played directly. */
function clickPlays(): boolean {
  return useSession.getState().rig?.input.sourceId !== BOATHOUSE_SOURCE && useListening.getState().on;
}
