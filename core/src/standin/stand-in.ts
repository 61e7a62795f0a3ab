import type { VoiceName } from './voices';

/**
 * A simulated device. It knows what a device knows: incoming bytes, and the passing of time. Its output and sounds go
 * to functions given at construction. Seeded and deterministic.
 */
export interface StandIn {
  /** Bytes that arrive at its socket at `atMs`. */
  receive(bytes: Uint8Array, atMs: number): void;
  /** Runs everything it does on its own until `toMs`. */
  advance(toMs: number): void;
}

export type SendBytes = (bytes: Uint8Array, atMs: number) => void;
/** `voice`: where the program in force sounds otherwise than its usual one. */
export type Sound = (atMs: number, voice?: VoiceName) => void;
