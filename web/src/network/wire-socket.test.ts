import { decodeFrame, encodeFrame, type WireFrame } from '@metronomo/core';
import { WireSocket, type WireState } from './wire-socket';

/** A WebSocket whose other end is the test. */
class FakeSocket {
  static readonly OPEN = 1;
  static last: FakeSocket;
  readyState = 0;
  bufferedAmount = 0;
  binaryType = '';
  sent: WireFrame[] = [];
  onopen?: () => void;
  onclose?: () => void;
  onmessage?: (event: { data: ArrayBuffer }) => void;
  constructor(
    readonly url: string,
    readonly protocols: string[],
  ) {
    FakeSocket.last = this;
  }
  send(bytes: Uint8Array): void {
    this.sent.push(decodeFrame(bytes)!);
  }
  close(): void {
    this.readyState = 3;
    this.onclose?.();
  }
  open(): void {
    this.readyState = 1;
    this.onopen?.();
  }
  says(frame: WireFrame): void {
    this.onmessage?.({ data: encodeFrame(frame).buffer });
  }
}

/** Offset of the server's clock. */
const SHIFT_MS = 50_000;
let nowMs: number;
let states: WireState[];
let wire: WireSocket;

beforeEach(() => {
  globalThis.WebSocket = FakeSocket as unknown as typeof WebSocket;
  nowMs = 1000;
  states = [];
  wire = new WireSocket(
    () => nowMs,
    (state) => states.push(state),
  );
  wire.open({ url: 'ws://here/wire', protocols: ['a', 'b'] });
});

/** Connected, with one peer and a known server clock. */
function connected(): FakeSocket {
  const socket = FakeSocket.last;
  socket.open();
  socket.says({ kind: 'lines', lines: [{ line: 7, key: 'jetty', open: true }] });
  wire.due();
  socket.says({ kind: 'answer', sentMs: nowMs, serverMs: nowMs + SHIFT_MS });
  return socket;
}

test('messages go out at server time, in one frame', () => {
  const socket = connected();
  expect(states.at(-1)).toMatchObject({ connected: true, peers: [{ key: 'jetty', open: true }] });
  expect(wire.send('jetty', Uint8Array.of(0xf8), 1100)).toBe(true);
  expect(wire.send('jetty', Uint8Array.of(0xfa), 1099)).toBe(true);
  wire.flush();
  expect(socket.sent.at(-1)).toEqual({
    kind: 'messages',
    messages: [
      { line: 7, atMs: 1100 + SHIFT_MS, bytes: Uint8Array.of(0xf8) },
      { line: 7, atMs: 1099 + SHIFT_MS, bytes: Uint8Array.of(0xfa) },
    ],
  });
});

test('incoming messages wait until due, on the page’s clock', () => {
  const socket = connected();
  const at = (ms: number, status: number) => ({ line: 7, atMs: ms + SHIFT_MS, bytes: Uint8Array.of(status) });
  socket.says({ kind: 'messages', messages: [at(1050, 0xf8), at(1030, 0xfa), { ...at(1020, 0xfc), line: 8 }] });
  expect(wire.due()).toEqual([]);
  nowMs = 1045;
  expect(wire.due().map(({ bytes, atMs }) => [bytes[0], Math.round(atMs)])).toEqual([
    [0xfa, 1030],
    [0xf8, 1050],
  ]);
  expect(wire.due()).toEqual([]);
});

test('sending fails without a connection: no peer, no clock estimate, or no server', () => {
  const socket = FakeSocket.last;
  socket.open();
  socket.says({ kind: 'lines', lines: [{ line: 7, key: 'jetty', open: false }] });
  expect(wire.send('jetty', Uint8Array.of(0xf8), 1100)).toBe(false);
  socket.says({ kind: 'lines', lines: [{ line: 7, key: 'jetty', open: true }] });
  expect(wire.send('jetty', Uint8Array.of(0xf8), 1100)).toBe(false);
  const good = connected();
  expect(wire.send('jetty', Uint8Array.of(0xf8), 1100)).toBe(true);
  good.close();
  expect(wire.send('jetty', Uint8Array.of(0xf8), 1100)).toBe(false);
  expect(states.at(-1)).toEqual({ connected: false, peers: [], clockErrorMs: expect.anything() });
});

test('the first answer is followed by a second question at once, its answer by none', () => {
  const socket = connected();
  const asks = () => socket.sent.filter(({ kind }) => kind === 'ask').length;
  expect(asks()).toBe(2);
  socket.says({ kind: 'answer', sentMs: nowMs, serverMs: nowMs + SHIFT_MS });
  socket.says({ kind: 'answer', sentMs: nowMs, serverMs: nowMs + SHIFT_MS });
  expect(asks()).toBe(2);
});

test('the clock is exchanged often until it is known, then by a pair a second; invalid frames are ignored', () => {
  const socket = connected();
  const asks = () => socket.sent.filter(({ kind }) => kind === 'ask');
  const passUntil = (ms: number, answered: boolean) => {
    const before = asks().length;
    for (; nowMs < ms; nowMs += 10) {
      const count = asks().length;
      wire.due();
      const ask = asks().at(-1);
      if (!answered || asks().length === count || ask?.kind !== 'ask') continue;
      socket.says({ kind: 'answer', sentMs: ask.sentMs, serverMs: ask.sentMs + SHIFT_MS });
    }
    return asks().length - before;
  };
  const unanswered = passUntil(nowMs + 5000, false);
  expect(unanswered).toBeGreaterThan(45);
  expect(unanswered).toBeLessThan(65);
  passUntil(nowMs + 20_000, true);
  expect(passUntil(nowMs + 10_000, true)).toBe(20);
  socket.onmessage?.({ data: Uint8Array.of(99, 1, 2).buffer });
  expect(wire.due()).toEqual([]);
});
