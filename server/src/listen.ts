import { createServer, type Server } from 'node:http';
import { createServer as createSecureServer } from 'node:https';
import type { AddressInfo } from 'node:net';
import type Koa from 'koa';

/** Open connections are closed after this long. */
const PATIENCE_MS = 2000;

/** A certificate and its private key, PEM. */
export interface Certificate {
  cert: string | Buffer;
  key: string | Buffer;
}

/** Opens the socket; resolves with its URL once it listens. Port 0 takes any free one; a certificate makes it HTTPS. */
export function listen(
  app: Koa,
  port: number,
  host: string,
  certificate: Certificate | null = null,
): Promise<{ server: Server; url: string }> {
  return new Promise((resolve, reject) => {
    const answer = app.callback();
    const server = certificate ? createSecureServer(certificate, answer) : createServer(answer);
    server.once('error', reject);
    server.once('listening', () => {
      server.off('error', reject);
      const address = server.address() as AddressInfo;
      const name = address.family === 'IPv6' ? `[${address.address}]` : address.address;
      resolve({ server, url: `http${certificate ? 's' : ''}://${name}:${address.port}` });
    });
    server.listen(port, host);
  });
}

/** Graceful shutdown: no new requests, pending ones are answered. */
export function shutDown(server: Server): Promise<void> {
  return new Promise((resolve) => {
    const timer = setTimeout(() => server.closeAllConnections(), PATIENCE_MS);
    server.close(() => {
      clearTimeout(timer);
      resolve();
    });
    server.closeIdleConnections();
  });
}
