import type { PackedMessages, PortMessage } from './protocol';

/** One transferable buffer per batch, to keep garbage down on both threads at 100 batches a second. */
export function packMessages(messages: readonly PortMessage[]): PackedMessages {
  const portIds: string[] = [];
  const count = messages.length;
  const length = messages.reduce((sum, message) => sum + message.bytes.length, 0);
  const buffer = new ArrayBuffer((8 + 4 + 2) * count + length);
  const atMs = new Float64Array(buffer, 0, count);
  const ends = new Uint32Array(buffer, 8 * count, count);
  const ports = new Uint16Array(buffer, 12 * count, count);
  const bytes = new Uint8Array(buffer, 14 * count);
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

/** Calls back for each message; the bytes are a view, so copy them to keep them. */
export function eachPacked(
  { portIds, ports, atMs, ends, bytes }: PackedMessages,
  use: (portId: string, bytes: Uint8Array, atMs: number) => void,
): void {
  ports.forEach((port, i) => use(portIds[port] ?? '', bytes.subarray(i > 0 ? ends[i - 1] : 0, ends[i]), atMs[i] ?? 0));
}
