/**
 * A simulated piece of gear. It knows what gear knows: bytes that arrive at its socket, and that time passes. What it sends
 * and sounds it hands to the functions it was made with. Seeded: the same calls give the same gear.
 */
export interface StandIn {
  /** Bytes that arrive at its socket at `atMs`. */
  receive(bytes: Uint8Array, atMs: number): void;
  /** Time has come to `toMs`: what it does by itself until then, it does. */
  advance(toMs: number): void;
}

export type SendBytes = (bytes: Uint8Array, atMs: number) => void;
export type Sound = (atMs: number) => void;
