import { eachPacked, packMessages } from './packed-messages';
import type { PortMessage } from './protocol';

test('messages survive packing, whatever their length and port', () => {
  const messages: PortMessage[] = [
    { portId: 'a', bytes: Uint8Array.of(0xf8), atMs: 1.5 },
    { portId: 'b', bytes: Uint8Array.of(0x90, 60, 100), atMs: 2 },
    { portId: 'a', bytes: new Uint8Array(70_000).fill(7), atMs: 3 },
    { portId: 'b', bytes: new Uint8Array(0), atMs: 4 },
  ];
  const out: PortMessage[] = [];
  eachPacked(packMessages(messages), (portId, bytes, atMs) => out.push({ portId, bytes: bytes.slice(), atMs }));
  expect(out).toEqual(messages);
});
