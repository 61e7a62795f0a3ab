import { create } from 'zustand';
import type { MidiPort, PortAdapter, Receive } from './port-adapter';
import { kindOf, type PortKind } from './port-ids';

interface PortsState {
  outputs: MidiPort[];
  inputs: MidiPort[];
  /** Ports that were reconnected since the page was opened. */
  reconnected: ReadonlySet<string>;
  /** Messages handed over after their due time. */
  lateMessages: number;
  /** The same per port. */
  lateAt: Readonly<Record<string, number>>;
  /** Messages that couldn't be sent because the port was disconnected or SysEx isn't allowed. */
  lostMessages: number;
}

const NO_PORTS: PortsState = {
  outputs: [],
  inputs: [],
  reconnected: new Set(),
  lateMessages: 0,
  lateAt: {},
  lostMessages: 0,
};

/** All ports of all kinds, as the views show them. */
export const usePorts = create<PortsState>(() => NO_PORTS);

/** A port that was disconnected or reconnected; once per id, even if it has both directions. */
type PortChange = Pick<MidiPort, 'id' | 'name' | 'connected'>;

/** The way to every port, whatever its kind. */
export class PortRegistry {
  readonly #adapters = new Map<PortKind, PortAdapter>();
  readonly #receivers = new Set<Receive>();
  readonly #listeners = new Set<(port: PortChange) => void>();
  #listenedTo: ReadonlySet<string> = new Set();

  add(adapter: PortAdapter): void {
    this.#adapters.get(adapter.kind)?.close();
    this.#adapters.set(adapter.kind, adapter);
    adapter.begin(
      (...message) => this.#receivers.forEach((receive) => receive(...message)),
      (how) => this.#read(how),
    );
    adapter.listenTo(this.#listenedTo);
    this.#read('firstLook');
  }

  /** Returns an unsubscribe function. */
  onReceived(receive: Receive): () => void {
    this.#receivers.add(receive);
    return () => this.#receivers.delete(receive);
  }

  /** Called when a port is disconnected or reconnected. Returns an unsubscribe function. */
  onChange(listener: (port: PortChange) => void): () => void {
    this.#listeners.add(listener);
    return () => this.#listeners.delete(listener);
  }

  /** Sets the inputs to receive from, connected or not. */
  listenTo(portIds: Iterable<string>): void {
    this.#listenedTo = new Set(portIds);
    for (const adapter of this.#adapters.values()) adapter.listenTo(this.#listenedTo);
  }

  /** Bytes with their due time, in ms of the window's clock; null is immediately. Never throws. */
  send(portId: string, bytes: Uint8Array, atMs: number | null): void {
    const sent = this.#adapters.get(kindOf(portId))?.send(portId, bytes, atMs) ?? 'lost';
    const { lateMessages, lateAt, lostMessages } = usePorts.getState();
    if (sent === 'lost') usePorts.setState({ lostMessages: lostMessages + 1 });
    if (sent === 'late')
      usePorts.setState({
        lateMessages: lateMessages + 1,
        lateAt: { ...lateAt, [portId]: (lateAt[portId] ?? 0) + 1 },
      });
  }

  /** Sends these messages at once, in place of everything that is still queued where that can be taken back. */
  stopNow(portId: string, messages: readonly Uint8Array[]): void {
    this.#adapters.get(kindOf(portId))?.stopNow(portId, messages);
  }

  #read(how?: 'firstLook'): void {
    const { outputs, inputs, reconnected } = usePorts.getState();
    const known = byId([...outputs, ...inputs]);
    const all = [...this.#adapters.values()].flatMap((adapter) => adapter.list());
    const changed = [...byId(all).values()].filter(
      ({ id, connected }) => connected !== (known.get(id)?.connected ?? false),
    );
    const back = changed.filter(({ id, connected }) => connected && known.has(id) && kindOf(id) === 'midi');
    usePorts.setState({
      outputs: all.filter(({ direction }) => direction === 'out'),
      inputs: all.filter(({ direction }) => direction === 'in'),
      ...(back.length > 0 && { reconnected: new Set([...reconnected, ...back.map(({ id }) => id)]) }),
    });
    for (const port of changed)
      if (known.has(port.id) || how !== 'firstLook') for (const listener of this.#listeners) listener(port);
  }
}

/** A network port has both directions under one id. */
function byId(ports: readonly MidiPort[]): Map<string, MidiPort> {
  return new Map([...ports].reverse().map((port) => [port.id, port]));
}

/** The gear on this port was restarted. */
export function clearReconnected(portId: string): void {
  const reconnected = new Set(usePorts.getState().reconnected);
  reconnected.delete(portId);
  usePorts.setState({ reconnected });
}

/** The ports of this page. */
export const ports = new PortRegistry();
