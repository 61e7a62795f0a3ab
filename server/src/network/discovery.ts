import { isIP } from 'node:net';
import { networkInterfaces } from 'node:os';
import { plainName, type PeerAddress } from '@metronomo/core';
import { Bonjour, type Browser, type Service } from 'bonjour-service';
import type { Logger } from 'pino';

/** The DNS-SD service type of Metronomo (RFC 6763). */
export const OWN_TYPE = 'metronomo';
const MAX_PEERS = 64;
const MULTICAST_GROUP = '224.0.0.251';

export interface FoundPeer extends PeerAddress {
  name: string;
}

export interface DiscoveryOptions {
  name: string;
  port: number;
  /** Address of the interface to browse and advertise on. */
  host: string;
  /** Additional service types to browse, without underscores. */
  alsoTypes?: readonly string[];
  logger: Logger;
}

/**
 * Discovers peers on the local network by DNS-SD, and advertises this one. Where that isn't possible, peers are invited
 * by address.
 */
export class Discovery {
  problem: string | null = null;
  readonly #bonjour: Bonjour;
  readonly #browsers: Browser[];
  readonly #own: { port: number };

  constructor({ name, port, host, alsoTypes = [], logger }: DiscoveryOptions) {
    this.#own = { port };
    const failed = (error: Error) => {
      this.problem = 'Discovery isn’t available on this computer. Invite peers by address instead.';
      logger.warn({ err: error }, 'discovery unavailable');
    };
    // Bound to the multicast group itself, so that only group traffic arrives, on the one interface.
    const place = host === '0.0.0.0' ? {} : { interface: host, bind: MULTICAST_GROUP };
    this.#bonjour = new Bonjour(place as object, failed);
    for (const type of [OWN_TYPE, ...alsoTypes])
      this.#bonjour.publish({ name, type, protocol: 'udp', port, probe: false });
    this.#browsers = [OWN_TYPE, ...alsoTypes].map((type) => this.#bonjour.find({ type, protocol: 'udp' }));
  }

  /** Peers found, without ourselves. Everything they announce is sanitized. */
  peers(): FoundPeer[] {
    const found = new Map<string, FoundPeer>();
    for (const browser of this.#browsers)
      for (const service of browser.services) {
        const peer = peerOf(service);
        if (peer && !(peer.port === this.#own.port && isOurs(peer.address)))
          found.set(`${peer.address} ${peer.port}`, peer);
        if (found.size >= MAX_PEERS) break;
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
