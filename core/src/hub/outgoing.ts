/** Bytes for a port, and when they are due, in ms on the hub's timeline. */
export interface Outgoing {
  feedId: string;
  portId: string;
  bytes: Uint8Array;
  atMs: number;
}
