import { createSocket, type RemoteInfo, type Socket, type SocketOptions } from 'node:dgram';
import { isIPv6 } from 'node:net';
import type { Channel, OutgoingDatagram, PeerAddress } from '@metronomo/core';

/** A session needs two adjacent ports; the second carries the music. */
const OFFSETS: Record<Channel, number> = { control: 0, data: 1 };
const CHANNELS = ['control', 'data'] as const;
/** Attempts to find a free pair. */
const TRIES = 20;
const FIRST_PRIVATE_PORT = 49_152;
const PRIVATE_PORTS = 16_000;

export interface UdpPairOptions {
  /** IPv4 and IPv6 addresses to listen on; the second may be missing on this computer. */
  hosts: readonly string[];
  /** The control port; 0 takes any free pair. */
  port: number;
  onDatagram(channel: Channel, from: PeerAddress, bytes: Uint8Array): void;
  onError(error: Error): void;
}

/** Two adjacent UDP ports over IPv4 and IPv6. */
export class UdpPair {
  readonly port: number;
  readonly hosts: readonly string[];
  readonly #sockets: ReadonlyMap<string, Socket>;
  readonly #onError: (error: Error) => void;

  private constructor(port: number, sockets: Map<string, Socket>, hosts: string[], options: UdpPairOptions) {
    this.port = port;
    this.hosts = hosts;
    this.#sockets = sockets;
    this.#onError = options.onError;
    for (const [key, socket] of sockets) {
      const channel = key.endsWith('data') ? 'data' : 'control';
      socket.on('message', (bytes: Buffer, { address, port: from }: RemoteInfo) =>
        options.onDatagram(channel, { address: plainAddress(address), port: from }, bytes),
      );
      socket.on('error', options.onError);
    }
  }

  /** @throws Error if the ports are in use, or no address can be bound. */
  static async open(options: UdpPairOptions): Promise<UdpPair> {
    if (options.port !== 0) return UdpPair.#openAt(options.port, options);
    for (let i = 0; i < TRIES; i++) {
      const port = FIRST_PRIVATE_PORT + 2 * Math.floor((Math.random() * PRIVATE_PORTS) / 2);
      const pair = await UdpPair.#openAt(port, options).catch(() => null);
      if (pair) return pair;
    }
    throw new Error('No pair of adjacent UDP ports is free.');
  }

  static async #openAt(port: number, options: UdpPairOptions): Promise<UdpPair> {
    const sockets = new Map<string, Socket>();
    const hosts: string[] = [];
    let problem: unknown = null;
    for (const host of options.hosts) {
      const opened = await Promise.allSettled(CHANNELS.map((channel) => bind(host, port + OFFSETS[channel])));
      const failed = opened.find(({ status }) => status === 'rejected');
      const good = opened.flatMap((one) => (one.status === 'fulfilled' ? [one.value] : []));
      if (failed?.status === 'rejected') {
        for (const socket of good) socket.close();
        problem = failed.reason;
        // A family that this computer lacks is left out; a port that another program uses has to be told.
        if (isMissingFamily(problem)) continue;
        for (const socket of sockets.values()) socket.close();
        throw problem;
      }
      good.forEach((socket, i) => sockets.set(keyOf(host, CHANNELS[i] ?? 'control'), socket));
      hosts.push(host);
    }
    if (hosts.length === 0)
      throw problem instanceof Error ? problem : new Error('Can’t listen on any of the configured addresses.');
    return new UdpPair(port, sockets, hosts, options);
  }

  send({ channel, to, bytes }: OutgoingDatagram): void {
    const socket = this.#sockets.get(keyOf(to.address, channel));
    if (!socket) return;
    socket.send(bytes, to.port, to.address, (error) => error && this.#onError(error));
  }

  close(): void {
    for (const socket of this.#sockets.values()) socket.close();
  }
}

function isMissingFamily(error: unknown): boolean {
  const code = error instanceof Error && 'code' in error ? error.code : null;
  return code === 'EADDRNOTAVAIL' || code === 'EAFNOSUPPORT';
}

function keyOf(address: string, channel: Channel): string {
  return `${isIPv6(address) ? 6 : 4} ${channel}`;
}

/** Strips the zone index, which is local to this computer. */
function plainAddress(address: string): string {
  return address.split('%')[0] ?? address;
}

/** Addresses only, so nothing is looked up, and a datagram leaves at once rather than after the current task. */
const lookup: SocketOptions['lookup'] = (address, _options, done) => done(null, address, isIPv6(address) ? 6 : 4);

function bind(host: string, port: number): Promise<Socket> {
  return new Promise((resolve, reject) => {
    const socket = createSocket(isIPv6(host) ? { type: 'udp6', ipv6Only: true, lookup } : { type: 'udp4', lookup });
    socket.once('error', reject);
    socket.bind({ address: host, port, exclusive: true }, () => {
      socket.removeListener('error', reject);
      resolve(socket);
    });
  });
}
