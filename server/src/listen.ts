import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import type Koa from 'koa';

/** Open connections are closed after this long. */
const PATIENCE_MS = 2000;

/** Opens the socket; resolves with its URL once it listens. Port 0 takes any free one. */
export function listen(app: Koa, port: number, host: string): Promise<{ server: Server; url: string }> {
  return new Promise((resolve, reject) => {
    const server = app.listen(port, host);
    server.once('error', reject);
    server.once('listening', () => {
      const address = server.address() as AddressInfo;
      const name = address.family === 'IPv6' ? `[${address.address}]` : address.address;
      resolve({ server, url: `http://${name}:${address.port}` });
    });
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
