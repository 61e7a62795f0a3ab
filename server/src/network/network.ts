import { randomBytes } from 'node:crypto';
import { networkInterfaces } from 'node:os';
import {
  SessionHost,
  type Channel,
  type DueBytes,
  type ExchangeRecord,
  type IncomingMessage,
  type OutgoingDatagram,
  type PeerAddress,
  type SessionSnapshot,
} from '@metronomo/core';
import type { Logger } from 'pino';
import { UdpPair } from './udp-pair';

export interface NetworkOptions {
  name: string;
  hosts: readonly string[];
  /** 0 takes any free pair. */
  port: number;
  logger: Logger;
  /** Monotonic time in ms. */
  now?: () => number;
}

/** A session with the browser's key of its peer. */
export interface NamedSession extends SessionSnapshot {
  key: string | null;
}

export interface NetworkListener {
  messages(messages: readonly IncomingMessage[]): void;
  changed(): void;
}

/** Polling interval of the sessions while nothing is due, ms. */
const IDLE_EVERY_MS = 50;
/**
 * Flood limits: datagrams read per window from peers, more than any rig sends, and from unknown senders; the rest are
 * dropped unread.
 */
const WINDOW_MS = 100;
const MAX_OF_PEERS = 2000;
const MAX_OF_STRANGERS = 200;
const LAST_WORDS_MS = 50;
const MAX_FAULTS_LOGGED = 20;

/** Network MIDI on this computer: the core's sessions with sockets and a timer. */
export class Network {
  readonly now: () => number;
  readonly #host: SessionHost;
  readonly #logger: Logger;
  readonly #keys = new Map<string, string>();
  readonly #told = new Map<string, string>();
  #udp: UdpPair | null = null;
  #listener: NetworkListener | null = null;
  #timer: NodeJS.Timeout | undefined;
  #windowMs = 0;
  #ofPeers = 0;
  #ofStrangers = 0;
  #dropped = 0;
  #sendErrors = 0;
  #faults = 0;
  #closed = false;

  private constructor({ name, logger, now = () => performance.now() }: NetworkOptions) {
    this.now = now;
    this.#logger = logger;
    this.#host = new SessionHost({ name, random: () => randomBytes(4).readUInt32BE() / 2 ** 32 });
  }

  /** @throws Error if the ports are in use. */
  static async open(options: NetworkOptions): Promise<Network> {
    const network = new Network(options);
    network.#udp = await UdpPair.open({
      hosts: options.hosts,
      port: options.port,
      onDatagram: (channel, from, bytes) => network.#receive(channel, from, bytes),
      onError: (error) => network.#failed(error),
    });
    return network;
  }

  get name(): string {
    return this.#host.name;
  }

  get port(): number {
    return this.#udp?.port ?? 0;
  }

  /** Where peers reach it; if it listens on all interfaces, this computer's addresses. */
  get addresses(): readonly string[] {
    const hosts = this.#udp?.hosts ?? [];
    if (!hosts.includes('0.0.0.0')) return hosts;
    const all = Object.values(networkInterfaces()).flatMap((list) => list ?? []);
    return all.flatMap(({ internal, family, address }) => (internal || family !== 'IPv4' ? [] : [address]));
  }

  /** Datagrams dropped in a flood, dropped as unknown or malformed, and failed to send. */
  get counts(): { dropped: number; ignored: number; sendErrors: number } {
    return { dropped: this.#dropped, ignored: this.#host.ignored, sendErrors: this.#sendErrors };
  }

  /** Sets the receiver; one at a time. */
  listen(listener: NetworkListener | null): void {
    this.#listener = listener;
  }

  /** @throws RangeError if the session isn't possible. */
  invite(peer: PeerAddress, name: string, key: string): string {
    const id = this.#host.invite(peer, name, this.now());
    this.#keys.set(id, key);
    this.#logger.info({ session: id, peer }, 'invitation sent');
    this.#carry();
    return id;
  }

  /** Idempotent: sending it twice does no harm. */
  accept(id: string, key: string): boolean {
    if (this.#keys.get(id) === key) return true;
    const accepted = this.#host.accept(id, this.now());
    if (accepted) this.#keys.set(id, key);
    this.#carry();
    return accepted;
  }

  leave(id: string): boolean {
    const left = this.#host.leave(id, this.now());
    this.#carry();
    return left;
  }

  setBuffer(id: string, ms: number): boolean {
    return this.#host.setBuffer(id, ms);
  }

  probe(id: string, forMs: number): boolean {
    const probes = this.#host.probe(id, this.now() + forMs);
    this.#schedule();
    return probes;
  }

  exchangesAfter(id: string, number: number): ExchangeRecord[] | null {
    return this.#host.exchangesAfter(id, number);
  }

  send(id: string, messages: readonly DueBytes[]): void {
    this.#host.send(id, messages);
    this.#schedule();
  }

  sessions(): NamedSession[] {
    return this.#host.sessions(this.now()).map((session) => ({ ...session, key: this.#keys.get(session.id) ?? null }));
  }

  /** Ends every session and notifies the peers. */
  close(): void {
    for (const { id } of this.sessions()) this.#host.leave(id, this.now());
    this.#carry();
    this.#closed = true;
    clearTimeout(this.#timer);
    // Give the last packets a moment to leave.
    setTimeout(() => this.#udp?.close(), LAST_WORDS_MS);
  }

  #receive(channel: Channel, from: PeerAddress, bytes: Uint8Array): void {
    const nowMs = this.now();
    if (nowMs - this.#windowMs > WINDOW_MS) {
      this.#windowMs = nowMs;
      this.#ofPeers = this.#ofStrangers = 0;
    }
    const many = this.#host.knows(from) ? ++this.#ofPeers > MAX_OF_PEERS : ++this.#ofStrangers > MAX_OF_STRANGERS;
    if (many) {
      this.#dropped++;
      return;
    }
    this.#contained(() => this.#host.receive(channel, from, bytes, nowMs));
  }

  #wake(): void {
    this.#contained(() => this.#host.advance(this.now()));
  }

  /** Called by sockets and timers, from which an error would end the process: it is logged, and the network goes on. */
  #contained(work: () => void): void {
    try {
      work();
      this.#carry();
    } catch (error) {
      this.#faults++;
      if (this.#faults <= MAX_FAULTS_LOGGED) this.#logger.error({ err: error }, 'network MIDI: an error was contained');
      this.#schedule();
    }
  }

  #carry(): void {
    const { datagrams, messages, changed } = this.#host.drain();
    for (const datagram of datagrams) this.#sendOut(datagram);
    if (messages.length > 0) this.#listener?.messages(messages);
    if (changed) this.#tell();
    this.#schedule();
  }

  #sendOut(datagram: OutgoingDatagram): void {
    try {
      this.#udp?.send(datagram);
    } catch (error) {
      this.#failed(error);
    }
  }

  #failed(error: unknown): void {
    this.#sendErrors++;
    // A peer that is gone causes an error per datagram.
    if (this.#sendErrors < 10) this.#logger.warn({ err: error }, 'failed to send datagram');
  }

  #tell(): void {
    const sessions = this.sessions();
    for (const { id, state, name, address, reason } of sessions) {
      if (this.#told.get(id) === state) continue;
      this.#told.set(id, state);
      this.#logger.info({ session: id, state, name, address, reason }, 'session state changed');
    }
    const known = new Set(sessions.map(({ id }) => id));
    for (const id of this.#told.keys()) if (!known.has(id)) this.#told.delete(id);
    for (const id of this.#keys.keys()) if (!known.has(id)) this.#keys.delete(id);
    this.#listener?.changed();
  }

  #schedule(): void {
    clearTimeout(this.#timer);
    this.#timer = undefined;
    if (this.#closed || this.#host.isIdle) return;
    const dueMs = this.#host.nextMs - this.now();
    this.#timer = setTimeout(() => this.#wake(), Math.max(0, Math.min(IDLE_EVERY_MS, dueMs)));
  }
}
