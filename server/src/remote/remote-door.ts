import type { IncomingMessage, Server } from 'node:http';
import type { Duplex } from 'node:stream';
import { REMOTE_HOST_PROTOCOL, REMOTE_PATH, REMOTE_PROTOCOL } from '@metronomo/core';
import type { Logger } from 'pino';
import { WebSocketServer, type RawData, type WebSocket } from 'ws';
import { admit, pathOf } from '../network/admit';
import type { Guard } from '../network/guard';

/** Limit of a message, bytes. */
const MAX_MESSAGE = 16_384;
const MAX_REMOTES = 8;
/** A client that doesn't read is disconnected at this backlog, bytes. */
const MAX_UNSENT = 1 << 18;
/** Messages that a remote may send in a second: presses, and questions for the time. */
const MAX_A_SECOND = 100;
const SECOND_MS = 1000;
const GOING_AWAY = 1001;
const POLICY = 1008;
const TOO_MUCH = 1009;

interface Remote {
  readonly id: number;
  readonly socket: WebSocket;
  sinceMs: number;
  messages: number;
}

/**
 * Passes text on between the page with the hub and remote pages: what the hub says goes to every remote, what a remote
 * says to the hub, with the remote's number. What it means is none of the server's business. The latest hub wins.
 */
export function openRemoteDoor(server: Server, guard: Guard, logger: Logger): { close(): void } {
  const sockets = new WebSocketServer({
    noServer: true,
    maxPayload: MAX_MESSAGE,
    perMessageDeflate: false,
    handleProtocols: (offered) => [REMOTE_HOST_PROTOCOL, REMOTE_PROTOCOL].find((one) => offered.has(one)) ?? false,
  });
  let host: WebSocket | null = null;
  const remotes: Remote[] = [];
  let lastId = 0;

  const tellHost = (message: object) => {
    if (host && host.bufferedAmount < MAX_UNSENT) host.send(JSON.stringify(message));
  };
  const tellRemotes = (text: string) => {
    for (const { socket } of remotes) {
      if (socket.bufferedAmount > MAX_UNSENT) socket.close(TOO_MUCH, 'client too slow');
      else socket.send(text);
    }
  };

  const openHost = (socket: WebSocket) => {
    host?.close(GOING_AWAY, 'replaced by another page');
    host = socket;
    socket.on('message', (data, isBinary) => {
      if (isBinary) socket.close(POLICY, 'text only');
      else if (socket === host) tellRemotes(textOf(data));
    });
    socket.on('close', () => {
      if (host !== socket) return;
      host = null;
      tellRemotes(JSON.stringify({ kind: 'hubGone' }));
    });
    for (const { id } of remotes) tellHost({ remote: id, joined: true });
  };

  const openRemote = (socket: WebSocket) => {
    const remote: Remote = { id: ++lastId, socket, sinceMs: 0, messages: 0 };
    remotes.push(remote);
    if (remotes.length > MAX_REMOTES) remotes.shift()?.socket.close(GOING_AWAY, 'too many remotes');
    socket.on('message', (data, isBinary) => {
      if (isBinary || floods(remote)) socket.close(POLICY, 'too much, or not text');
      else tellHost({ remote: remote.id, said: textOf(data) });
    });
    socket.on('close', () => {
      const at = remotes.indexOf(remote);
      if (at >= 0) remotes.splice(at, 1);
      tellHost({ remote: remote.id, left: true });
    });
    if (host) tellHost({ remote: remote.id, joined: true });
    else socket.send(JSON.stringify({ kind: 'hubGone' }));
  };

  sockets.on('connection', (socket) => {
    socket.on('error', (error) => logger.warn({ err: error }, 'remote connection failed'));
    if (socket.protocol === REMOTE_HOST_PROTOCOL) openHost(socket);
    else openRemote(socket);
  });

  const onUpgrade = (request: IncomingMessage, duplex: Duplex, head: Buffer) => {
    if (pathOf(request) !== REMOTE_PATH || !admit(request, duplex, { path: REMOTE_PATH, guard, logger })) return;
    sockets.handleUpgrade(request, duplex, head, (socket) => sockets.emit('connection', socket, request));
  };
  server.on('upgrade', onUpgrade);

  return {
    close() {
      server.off('upgrade', onUpgrade);
      for (const socket of sockets.clients) socket.close(GOING_AWAY, 'server shutting down');
      sockets.close();
    },
  };
}

function floods(remote: Remote): boolean {
  const nowMs = performance.now();
  if (nowMs - remote.sinceMs > SECOND_MS) Object.assign(remote, { sinceMs: nowMs, messages: 0 });
  remote.messages++;
  return remote.messages > MAX_A_SECOND;
}

function textOf(data: RawData): string {
  return data instanceof Buffer ? data.toString('utf8') : '';
}
