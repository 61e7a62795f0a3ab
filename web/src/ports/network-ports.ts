import type { MidiPort, PortAdapter, Sent } from './port-adapter';
import { networkPortId } from './port-ids';

/** A peer of the rig; each is an input and an output port, connected while its session is open. */
interface Peer {
  key: string;
  name: string;
}

/** Ports of network peers. Their bytes go between the hub's worker and the server. */
export class NetworkPorts implements PortAdapter {
  readonly kind = 'network';
  #changed: () => void = () => undefined;
  #peers: readonly Peer[] = [];
  #open: ReadonlySet<string> = new Set();

  begin(_receive: unknown, changed: () => void): void {
    this.#changed = changed;
  }

  /** Replaces the peers, and the keys of those with an open session. */
  show(peers: readonly Peer[], open: ReadonlySet<string>): void {
    this.#peers = peers;
    this.#open = open;
    this.#changed();
  }

  list(): MidiPort[] {
    return this.#peers.flatMap(({ key, name }) =>
      (['out', 'in'] as const).map((direction) => ({
        id: networkPortId(key),
        name: `${name} (network)`,
        direction,
        connected: this.#open.has(key),
      })),
    );
  }

  listenTo(): void {
    // The hub's worker receives from all of them.
  }

  /** What comes here found no open session. */
  send(): Sent {
    return 'lost';
  }

  stopNow(): void {
    // The worker outlives the page just long enough to say stop.
  }

  close(): void {
    this.#peers = [];
  }
}

export const networkPorts = new NetworkPorts();
