import type { IncomingMessage as Request, Server } from 'node:http';
import type { Duplex } from 'node:stream';
import {
  decodeFrame,
  encodeFrame,
  MOST_FRAME_BYTES,
  type IncomingMessage,
  type WireFrame,
  TOKEN_PROTOCOL_PREFIX,
  WIRE_PATH,
  WIRE_PROTOCOL,
} from '@metronomo/core';
import type { Logger } from 'pino';
import { WebSocketServer, type WebSocket } from 'ws';
import type { Guard } from './guard';
import type { Network } from './network';

const MOST_BROWSERS = 4;
/** A browser that does not read what it is sent is let go, bytes. */
const MOST_UNSENT = 4 << 20;
const GOING_AWAY = 1001;
const POLICY = 1008;
const TOO_MUCH = 1009;

/** The WebSocket by which the browser hears and plays its sessions. The page that came last is the one that is heard. */
export function openDoor(server: Server, network: Network, guard: Guard, logger: Logger): { close(): void } {
  const sockets = new WebSocketServer({
    noServer: true,
    maxPayload: MOST_FRAME_BYTES,
    perMessageDeflate: false,
    handleProtocols: (offered) => (offered.has(WIRE_PROTOCOL) ? WIRE_PROTOCOL : false),
  });
  const open: WebSocket[] = [];

  const toBrowsers = (frame: WireFrame) => {
    const bytes = encodeFrame(frame);
    for (const socket of open) {
      if (socket.bufferedAmount > MOST_UNSENT) socket.close(TOO_MUCH, 'not read');
      else socket.send(bytes);
    }
  };

  network.listen({
    messages: (messages) => toBrowsers({ kind: 'messages', messages: messages.map(onTheWire) }),
    changed: () => toBrowsers({ kind: 'lines', lines: linesOf(network) }),
  });

  sockets.on('connection', (socket) => {
    open.push(socket);
    if (open.length > MOST_BROWSERS) open.shift()?.close(GOING_AWAY, 'another page took over');
    socket.on('message', (data, isBinary) => {
      const frame = isBinary && data instanceof Buffer ? decodeFrame(data) : null;
      if (!frame) socket.close(POLICY, 'not understood');
      else if (frame.kind === 'ask') socket.send(encodeFrame({ ...frame, kind: 'answer', serverMs: network.now() }));
      else if (frame.kind === 'messages' && socket === open.at(-1)) sendOn(frame.messages, network);
    });
    socket.on('close', () => {
      const at = open.indexOf(socket);
      if (at >= 0) open.splice(at, 1);
    });
    socket.on('error', (error) => logger.warn({ err: error }, 'a browser’s connection failed'));
    socket.send(encodeFrame({ kind: 'lines', lines: linesOf(network) }));
  });

  const onUpgrade = (request: Request, duplex: Duplex, head: Buffer) => {
    const offered = (request.headers['sec-websocket-protocol'] ?? '').split(',').map((one) => one.trim());
    const token = offered.find((one) => one.startsWith(TOKEN_PROTOCOL_PREFIX))?.slice(TOKEN_PROTOCOL_PREFIX.length);
    const path = (request.url ?? '').split('?')[0];
    if (path !== WIRE_PATH || !guard.isOwnOrigin(request) || !guard.knows(token)) {
      logger.warn(
        { path: path?.slice(0, 100), origin: request.headers.origin?.slice(0, 100) },
        'a WebSocket was turned away',
      );
      duplex.end('HTTP/1.1 403 Forbidden\r\nConnection: close\r\nContent-Length: 0\r\n\r\n');
      return;
    }
    sockets.handleUpgrade(request, duplex, head, (socket) => sockets.emit('connection', socket, request));
  };
  server.on('upgrade', onUpgrade);

  return {
    close() {
      server.off('upgrade', onUpgrade);
      network.listen(null);
      for (const socket of open) socket.close(GOING_AWAY, 'the server is shut down');
      sockets.close();
    },
  };
}

function sendOn(messages: Extract<WireFrame, { kind: 'messages' }>['messages'], network: Network): void {
  const bySession = new Map<number, { atMs: number; bytes: Uint8Array }[]>();
  for (const { line, ...message } of messages) {
    const list = bySession.get(line);
    if (list) list.push(message);
    else bySession.set(line, [message]);
  }
  for (const [line, list] of bySession) network.send(sessionOf(line), list);
}

function onTheWire({ sessionId, atMs, bytes }: IncomingMessage) {
  return { line: lineOf(sessionId), atMs, bytes };
}

function linesOf(network: Network) {
  return network
    .sessions()
    .flatMap(({ id, key, state }) =>
      key === null || state === 'ended' ? [] : [{ line: lineOf(id), key, open: state === 'open' }],
    );
}

/** A session's number is that of its line. */
function lineOf(sessionId: string): number {
  return Number(sessionId.slice(1));
}

function sessionOf(line: number): string {
  return `s${line}`;
}
