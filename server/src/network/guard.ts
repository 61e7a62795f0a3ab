import { randomBytes, timingSafeEqual } from 'node:crypto';
import type { IncomingMessage } from 'node:http';
import { isIP } from 'node:net';

/**
 * Who may speak to the network: the app's own pages, and nobody else. A page of another origin can send requests but cannot
 * read the token; a name of another's that leads to this computer is turned away by its host.
 */
export class Guard {
  readonly token = randomBytes(32).toString('hex');

  isOwnHost(request: IncomingMessage): boolean {
    const name = hostName(request.headers.host);
    return name === 'localhost' || isIP(name) !== 0;
  }

  /** Origin and host are the same: the page came from here. */
  isOwnOrigin(request: IncomingMessage): boolean {
    const { origin, host } = request.headers;
    if (!origin || !host || !this.isOwnHost(request)) return false;
    try {
      return new URL(origin).host === host;
    } catch {
      return false;
    }
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
