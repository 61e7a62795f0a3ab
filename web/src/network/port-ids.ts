const PREFIX = 'net:';

export function networkPortId(key: string): string {
  return PREFIX + key;
}

/** The peer's key from a port id; null for other kinds of port. */
export function peerKeyOf(portId: string): string | null {
  return portId.startsWith(PREFIX) ? portId.slice(PREFIX.length) : null;
}
