import { isIP } from 'node:net';
import { networkInterfaces } from 'node:os';
import { plainName, type PeerAddress } from '@metronomo/core';
import { Bonjour, type Browser, type Service } from 'bonjour-service';
import type { Logger } from 'pino';

/** How Metronomos announce themselves: the type of a DNS-SD service (RFC 6763). */
export const OWN_TYPE = 'metronomo';
const MOST_PEERS = 64;
const MULTICAST_GROUP = '224.0.0.251';

export interface FoundPeer extends PeerAddress {
  name: string;
}

export interface DiscoveryOptions {
  name: string;
  port: number;
  /** The address of the interface on which to look and be seen. */
  host: string;
  /** Types of service to look for besides our own, without underscores. */
  alsoTypes?: readonly string[];
  logger: Logger;
}

/** Looks for peers in the local network by DNS-SD, and is seen by them. Where that cannot be, addresses are given by hand. */
export class Discovery {
  problem: string | null = null;
  readonly #bonjour: Bonjour;
  readonly #browsers: Browser[];
  readonly #own: { port: number };

  constructor({ name, port, host, alsoTypes = [], logger }: DiscoveryOptions) {
    this.#own = { port };
    const failed = (error: Error) => {
      this.problem = 'This computer does not let others be looked for; give their address by hand.';
      logger.warn({ err: error }, 'no discovery');
    };
    // Bound to the group itself, only what is said to all is heard, on the one interface.
    const place = host === '0.0.0.0' ? {} : { interface: host, bind: MULTICAST_GROUP };
    this.#bonjour = new Bonjour(place as object, failed);
    for (const type of [OWN_TYPE, ...alsoTypes])
      this.#bonjour.publish({ name, type, protocol: 'udp', port, probe: false });
    this.#browsers = [OWN_TYPE, ...alsoTypes].map((type) => this.#bonjour.find({ type, protocol: 'udp' }));
  }

  /** Who was found and is not ourselves. Nothing of what they say is taken as it is. */
  peers(): FoundPeer[] {
    const found = new Map<string, FoundPeer>();
    for (const browser of this.#browsers)
      for (const service of browser.services) {
        const peer = peerOf(service);
        if (peer && !(peer.port === this.#own.port && isOurs(peer.address)))
          found.set(`${peer.address} ${peer.port}`, peer);
        if (found.size >= MOST_PEERS) break;
      }
    return [...found.values()];
  }

  close(): Promise<void> {
    return new Promise((resolve) => {
      for (const browser of this.#browsers) browser.stop();
      this.#bonjour.unpublishAll(() => this.#bonjour.destroy(() => resolve()));
    });
  }
}

function peerOf({ name, port, referer }: Service): FoundPeer | null {
  const address = referer?.address ?? '';
  if (isIP(address) === 0 || !(Number.isInteger(port) && port > 0 && port < 65_535)) return null;
  return { name: plainName(String(name)), address, port };
}

function isOurs(address: string): boolean {
  return address.startsWith('127.') || address === '::1' || localAddresses().has(address);
}

function localAddresses(): Set<string> {
  return new Set(Object.values(networkInterfaces()).flatMap((list) => list?.map(({ address }) => address) ?? []));
}
