import { TOKEN_PROTOCOL_PREFIX, WIRE_PATH, WIRE_PROTOCOL } from '@metronomo/core';
import { create } from 'zustand';
import { setOtherPorts, type MidiPort } from '../hub/midi-ports';
import type { RememberedPeer } from '../store/records';
import { readNetwork, readToken } from './api';
import { networkPortId } from './port-ids';
import type { WireDoor, WireState } from './wire-socket';

const TRY_AGAIN_MS = 3000;
const NOT_CONNECTED: WireState = { connected: false, peers: [], clockErrorMs: null };

/** State of the hub's connection to the server. */
export const useWire = create<WireState>(() => NOT_CONNECTED);

let openDoor: ((door: WireDoor) => void) | null = null;
let timer: ReturnType<typeof setTimeout> | undefined;

/** Connects the hub's worker to the server, now and after every loss. */
export function connectWire(open: (door: WireDoor) => void): void {
  openDoor = open;
  void tryToConnect();
}

/** Updates from the hub's worker. */
export function wireChanged(state: WireState, peers: readonly RememberedPeer[]): void {
  useWire.setState(state);
  showNetworkPorts(peers);
  if (!state.connected) retryLater();
}

/** Each peer is an input and an output port, connected while its session is open. */
export function showNetworkPorts(peers: readonly RememberedPeer[]): void {
  const { connected, peers: lines } = useWire.getState();
  const open = new Set(connected ? lines.flatMap(({ key, open }) => (open ? [key] : [])) : []);
  const ports: MidiPort[] = peers.flatMap(({ key, name }) =>
    (['out', 'in'] as const).map((direction) => ({
      id: networkPortId(key),
      name: `${name} (network)`,
      direction,
      connected: open.has(key),
    })),
  );
  setOtherPorts(ports);
}

function retryLater(): void {
  clearTimeout(timer);
  timer = setTimeout(() => void tryToConnect(), TRY_AGAIN_MS);
}

async function tryToConnect(): Promise<void> {
  try {
    // A server without network MIDI has no WebSocket.
    if (!(await readNetwork()).open) return;
    const token = await readToken(true);
    const { protocol, host } = window.location;
    const url = `${protocol === 'https:' ? 'wss' : 'ws'}://${host}${WIRE_PATH}`;
    openDoor?.({ url, protocols: [WIRE_PROTOCOL, TOKEN_PROTOCOL_PREFIX + token] });
  } catch {
    retryLater();
  }
}
