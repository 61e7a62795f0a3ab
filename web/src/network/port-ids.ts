const PREFIX = 'net:';

export function networkPortId(key: string): string {
  return PREFIX + key;
}

/** What a peer is called, by the port that leads to it; null for another kind of port. */
export function peerKeyOf(portId: string): string | null {
  return portId.startsWith(PREFIX) ? portId.slice(PREFIX.length) : null;
}
