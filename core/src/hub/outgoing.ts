/** Bytes for a port with their due time, in ms on the hub's timeline. */
export interface Outgoing {
  feedId: string;
  portId: string;
  bytes: Uint8Array;
  atMs: number;
}
