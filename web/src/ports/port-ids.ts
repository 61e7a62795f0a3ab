/** What a port belongs to: this computer, a network peer, the simulated studio, or the hub's own click. */
export type PortKind = 'midi' | 'network' | 'standIn' | 'click';

/** The hub's click, played by this page. */
export const CLICK_PORT = 'click';

const MIDI = 'midi:';
const NETWORK = 'net:';

/** The only place that reads the form of a port id. */
export function kindOf(portId: string): PortKind {
  if (portId.startsWith(MIDI)) return 'midi';
  if (portId.startsWith(NETWORK)) return 'network';
  return portId === CLICK_PORT ? 'click' : 'standIn';
}

/** Ports that can be disconnected: of this computer, or of a network peer. */
export function canDisconnect(portId: string): boolean {
  const kind = kindOf(portId);
  return kind === 'midi' || kind === 'network';
}

/** `browserId`: of a Web MIDI port. */
export function midiPortId(browserId: string): string {
  return MIDI + browserId;
}

/** The browser's id of a Web MIDI port. */
export function browserIdOf(portId: string): string {
  return portId.slice(MIDI.length);
}

export function networkPortId(key: string): string {
  return NETWORK + key;
}

/** The peer's key from a port id; null for other kinds of port. */
export function peerKeyOf(portId: string): string | null {
  return kindOf(portId) === 'network' ? portId.slice(NETWORK.length) : null;
}
