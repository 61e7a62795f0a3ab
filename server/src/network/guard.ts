import { randomBytes, timingSafeEqual } from 'node:crypto';
import type { IncomingMessage } from 'node:http';
import { isIP } from 'node:net';

/**
 * Admits only the app's own pages. A page of another origin can send requests but can't read the token; requests with
 * an unknown Host header are rejected (DNS rebinding).
 */
export class Guard {
  readonly token = randomBytes(32).toString('hex');

  isOwnHost(request: IncomingMessage): boolean {
    const name = hostName(request.headers.host);
    return name === 'localhost' || isIP(name) !== 0;
  }

  /** Same scheme and host: the page came from here, or through a TLS proxy in front. */
  isOwnOrigin(request: IncomingMessage): boolean {
    const { origin, host } = request.headers;
    if (!origin || !host || !this.isOwnHost(request)) return false;
    const isSecure = 'encrypted' in request.socket || request.headers['x-forwarded-proto'] === 'https';
    return origin === `${isSecure ? 'https' : 'http'}://${host}`;
  }

  knows(token: string | undefined): boolean {
    const [given, ours] = [Buffer.from(token ?? ''), Buffer.from(this.token)];
    return given.length === ours.length && timingSafeEqual(given, ours);
  }
}

function hostName(host = ''): string {
  try {
    return new URL(`http://${host}`).hostname.replace(/^\[|\]$/g, '');
  } catch {
    return '';
  }
}
