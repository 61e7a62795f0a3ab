import type { IncomingMessage as Request, Server } from 'node:http';
import type { Duplex } from 'node:stream';
import {
  decodeFrame,
  encodeFrame,
  MAX_FRAME_BYTES,
  messageFrames,
  type IncomingMessage,
  type WireFrame,
  REMOTE_PATH,
  WIRE_PATH,
  WIRE_PROTOCOL,
} from '@metronomo/core';
import type { Logger } from 'pino';
import { WebSocketServer, type WebSocket } from 'ws';
import { admit, pathOf } from './admit';
import type { Guard } from './guard';
import type { Network } from './network';

const MAX_BROWSERS = 4;
/** A client that doesn't read is disconnected at this backlog, in bytes. */
const MAX_UNSENT = 4 << 20;
const GOING_AWAY = 1001;
const POLICY = 1008;
const TOO_MUCH = 1009;

/** The WebSocket through which the browser receives and sends on its sessions. The latest page wins. */
export function openDoor(server: Server, network: Network, guard: Guard, logger: Logger): { close(): void } {
  const sockets = new WebSocketServer({
    noServer: true,
    maxPayload: MAX_FRAME_BYTES,
    perMessageDeflate: false,
    handleProtocols: (offered) => (offered.has(WIRE_PROTOCOL) ? WIRE_PROTOCOL : false),
  });
  const open: WebSocket[] = [];

  const toBrowsers = (frame: Uint8Array) => {
    for (const socket of open) {
      if (socket.bufferedAmount > MAX_UNSENT) socket.close(TOO_MUCH, 'client too slow');
      else socket.send(frame);
    }
  };

  network.listen({
    messages: (messages) => messageFrames(messages.map(frameOf)).forEach(toBrowsers),
    changed: () => toBrowsers(encodeFrame({ kind: 'lines', lines: peersOf(network) })),
  });

  sockets.on('connection', (socket) => {
    open.push(socket);
    if (open.length > MAX_BROWSERS) open.shift()?.close(GOING_AWAY, 'replaced by another page');
    socket.on('message', (data, isBinary) => {
      const frame = isBinary && data instanceof Buffer ? decodeFrame(data) : null;
      if (!frame) socket.close(POLICY, 'invalid frame');
      else if (frame.kind === 'ask') socket.send(encodeFrame({ ...frame, kind: 'answer', serverMs: network.now() }));
      else if (frame.kind === 'messages' && socket === open.at(-1)) forward(frame.messages, network);
    });
    socket.on('close', () => {
      const at = open.indexOf(socket);
      if (at >= 0) open.splice(at, 1);
    });
    socket.on('error', (error) => logger.warn({ err: error }, 'browser connection failed'));
    socket.send(encodeFrame({ kind: 'lines', lines: peersOf(network) }));
  });

  const onUpgrade = (request: Request, duplex: Duplex, head: Buffer) => {
    if (pathOf(request) === REMOTE_PATH || !admit(request, duplex, { path: WIRE_PATH, guard, logger })) return;
    sockets.handleUpgrade(request, duplex, head, (socket) => sockets.emit('connection', socket, request));
  };
  server.on('upgrade', onUpgrade);

  return {
    close() {
      server.off('upgrade', onUpgrade);
      network.listen(null);
      for (const socket of open) socket.close(GOING_AWAY, 'server shutting down');
      sockets.close();
    },
  };
}

function forward(messages: Extract<WireFrame, { kind: 'messages' }>['messages'], network: Network): void {
  const bySession = new Map<number, { atMs: number; bytes: Uint8Array }[]>();
  for (const { line, ...message } of messages) {
    const list = bySession.get(line);
    if (list) list.push(message);
    else bySession.set(line, [message]);
  }
  for (const [line, list] of bySession) network.send(sessionOf(line), list);
}

function frameOf({ sessionId, atMs, bytes }: IncomingMessage) {
  return { line: peerOf(sessionId), atMs, bytes };
}

function peersOf(network: Network) {
  return network
    .sessions()
    .flatMap(({ id, key, state }) =>
      key === null || state === 'ended' ? [] : [{ line: peerOf(id), key, open: state === 'open' }],
    );
}

/** The line number of a session. */
function peerOf(sessionId: string): number {
  return Number(sessionId.slice(1));
}

function sessionOf(line: number): string {
  return `s${line}`;
}
