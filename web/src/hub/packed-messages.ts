import type { PackedMessages, PortMessage } from './protocol';

export function packMessages(messages: readonly PortMessage[]): PackedMessages {
  const portIds: string[] = [];
  const ports = new Uint16Array(messages.length);
  const atMs = new Float64Array(messages.length);
  const ends = new Uint32Array(messages.length);
  const bytes = new Uint8Array(messages.reduce((sum, message) => sum + message.bytes.length, 0));
  let end = 0;
  messages.forEach((message, i) => {
    const known = portIds.indexOf(message.portId);
    ports[i] = known >= 0 ? known : portIds.push(message.portId) - 1;
    atMs[i] = message.atMs;
    bytes.set(message.bytes, end);
    ends[i] = end += message.bytes.length;
  });
  return { portIds, ports, atMs, ends, bytes };
}

/** Calls back for each message; the bytes are lent, and are to be copied by who keeps them. */
export function eachPacked(
  { portIds, ports, atMs, ends, bytes }: PackedMessages,
  use: (portId: string, bytes: Uint8Array, atMs: number) => void,
): void {
  ports.forEach((port, i) => use(portIds[port] ?? '', bytes.subarray(i > 0 ? ends[i - 1] : 0, ends[i]), atMs[i] ?? 0));
}
