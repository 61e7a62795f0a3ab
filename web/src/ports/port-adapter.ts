import type { PortKind } from './port-ids';

export interface MidiPort {
  id: string;
  name: string;
  direction: 'in' | 'out';
  connected: boolean;
}

/** Called for everything that arrives on a port; time in ms of the window's clock. */
export type Receive = (portId: string, bytes: Uint8Array, atMs: number) => void;

/** What became of a message that was handed to a port. */
export type Sent = 'sent' | 'late' | 'lost';

/** One kind of port behind the same interface as all others. */
export interface PortAdapter {
  readonly kind: PortKind;
  /**
   * Call `changed` whenever the list of ports, or whether one is connected, may have changed; `firstLook` if the ports
   * were there already.
   */
  begin(receive: Receive, changed: (how?: 'firstLook') => void): void;
  /** All ports, connected or not. */
  list(): MidiPort[];
  /** Replaces the inputs to receive from, connected or not. */
  listenTo(portIds: ReadonlySet<string>): void;
  /** Bytes with their due time, in ms of the window's clock; null is immediately. */
  send(portId: string, bytes: Uint8Array, atMs: number | null): Sent;
  /** Sends these messages at once, in place of everything that is still queued. */
  stopNow(portId: string, messages: readonly Uint8Array[]): void;
  /** Receives and sends nothing more. */
  close(): void;
}
