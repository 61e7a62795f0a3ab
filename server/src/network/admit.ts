import type { IncomingMessage } from 'node:http';
import type { Duplex } from 'node:stream';
import { TOKEN_PROTOCOL_PREFIX } from '@metronomo/core';
import type { Logger } from 'pino';
import type { Guard } from './guard';

/** Whether a WebSocket may be opened: the right path, from our own page, with the token. Otherwise it is refused here. */
export function admit(
  request: IncomingMessage,
  duplex: Duplex,
  { path, guard, logger }: { path: string; guard: Guard; logger: Logger },
): boolean {
  // Before anything is answered: a client that resets the connection meanwhile would end the server.
  duplex.on('error', (error) => logger.info({ err: error }, 'connection lost before it was a WebSocket'));
  const offered = (request.headers['sec-websocket-protocol'] ?? '').split(',').map((one) => one.trim());
  const token = offered.find((one) => one.startsWith(TOKEN_PROTOCOL_PREFIX))?.slice(TOKEN_PROTOCOL_PREFIX.length);
  if (pathOf(request) === path && guard.isOwnOrigin(request) && guard.knows(token)) return true;
  logger.warn(
    { path: pathOf(request).slice(0, 100), origin: request.headers.origin?.slice(0, 100) },
    'WebSocket rejected',
  );
  duplex.end('HTTP/1.1 403 Forbidden\r\nConnection: close\r\nContent-Length: 0\r\n\r\n');
  return false;
}

export function pathOf(request: IncomingMessage): string {
  return (request.url ?? '').split('?')[0] ?? '';
}
