import { TOKEN_PROTOCOL_PREFIX, WIRE_PATH, WIRE_PROTOCOL } from '@metronomo/core';
import { create } from 'zustand';
import { readNetwork, readToken } from '../network/api';
import type { WireState } from '../network/wire-socket';
import { networkPorts } from '../ports/network-ports';
import { useSession } from './session';
import { hub } from './workers';

const TRY_AGAIN_MS = 3000;
const NOT_CONNECTED: WireState = { connected: false, peers: [], clockErrorMs: null };

/** State of the hub's connection to the server. */
export const useWire = create<WireState>(() => NOT_CONNECTED);

/** Keys of the peers with an open session. */
export function openPeers(): ReadonlySet<string> {
  const { connected, peers } = useWire.getState();
  return new Set(connected ? peers.flatMap(({ key, open }) => (open ? [key] : [])) : []);
}

/** Connects the hub's worker to the server, now and after every loss. */
class NetworkDoor {
  #timer: ReturnType<typeof setTimeout> | undefined;

  async open(): Promise<void> {
    clearTimeout(this.#timer);
    try {
      // A server without network MIDI has no WebSocket.
      if (!(await readNetwork()).open) return;
      const token = await readToken(true);
      const { protocol, host } = window.location;
      const url = `${protocol === 'https:' ? 'wss' : 'ws'}://${host}${WIRE_PATH}`;
      await hub.openWire({ url, protocols: [WIRE_PROTOCOL, TOKEN_PROTOCOL_PREFIX + token] });
    } catch {
      this.#retryLater();
    }
  }

  /** Updates from the hub's worker. */
  changed(state: WireState): void {
    useWire.setState(state);
    networkPorts.show(useSession.getState().rig?.peers ?? [], openPeers());
    if (!state.connected) this.#retryLater();
  }

  #retryLater(): void {
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => void this.open(), TRY_AGAIN_MS);
  }
}

export const networkDoor = new NetworkDoor();
