/** Bytes received from a port with their time, in ms on the hub's timeline. */
export type Receiver = (bytes: Uint8Array, atMs: number) => void;

/**
 * An input, an output, or both. Web MIDI, stand-ins, network sessions and replayed recordings all look like this to the
 * hub.
 */
export interface Port {
  readonly id: string;
  /** Sends bytes that are due at `atMs`. */
  send(bytes: Uint8Array, atMs: number): void;
  /** Sets the receiver of incoming bytes; one at a time. */
  listen(receiver: Receiver): void;
}
