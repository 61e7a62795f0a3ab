/** Bytes that come out of a port, and when, in ms on the hub's timeline. */
export type Receiver = (bytes: Uint8Array, atMs: number) => void;

/**
 * A way in or out, or both. Web MIDI, stand-ins, network sessions and replayed recordings all look like this to the hub.
 */
export interface Port {
  readonly id: string;
  /** Bytes for whoever is there, due at `atMs`. */
  send(bytes: Uint8Array, atMs: number): void;
  /** Who hears what comes from there, from now on; one at a time. */
  listen(receiver: Receiver): void;
}
