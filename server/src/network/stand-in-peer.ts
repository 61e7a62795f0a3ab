import { randomBytes } from 'node:crypto';
import { Link, SessionHost, type Channel, type PeerAddress } from '@metronomo/core';
import type { Logger } from 'pino';
import { UdpPair } from './udp-pair';

const NAME = 'Jetty tablet';
const EVERY_MS = 5;
const BPM = 96;
const TICK_MS = 60_000 / BPM / 24;
const AHEAD_MS = 50;
/** Known to this stand-in only: its clock offset and its wireless link. */
const CLOCK_SHIFT_MS = 86_413.7;
const LINK = { delayMs: 6, jitterMs: 2.5, loss: 0.01, overtakes: true };

/**
 * The tablet that ships with the demo: accepts every invitation from this computer, follows what it receives, and sends
 * a clock of its own at 96 BPM. All traffic passes a simulated link, so that there is something to measure.
 */
export class StandInPeer {
  readonly #host = new SessionHost({ name: NAME, random: () => randomBytes(4).readUInt32BE() / 2 ** 32 });
  readonly #udp: UdpPair;
  readonly #timer: NodeJS.Timeout;
  /** Due time of the next tick, per session. */
  readonly #nextTickMs = new Map<string, number>();
  readonly #outward = new LateDelivery(1);
  readonly #inward: LateDelivery;

  private constructor(udp: UdpPair, inward: LateDelivery) {
    this.#udp = udp;
    this.#inward = inward;
    this.#timer = setInterval(() => this.#wake(), EVERY_MS);
  }

  static async open(logger: Logger): Promise<StandInPeer> {
    const inward = new LateDelivery(2);
    let peer: StandInPeer | null = null;
    const udp = await UdpPair.open({
      hosts: ['127.0.0.1'],
      port: 0,
      onDatagram: (channel, from, bytes) => inward.pass(bytes, () => peer?.receive(channel, from, bytes)),
      onError: (error) => logger.warn({ err: error }, 'stand-in tablet: socket error'),
    });
    peer = new StandInPeer(udp, inward);
    return peer;
  }

  get place(): PeerAddress & { name: string } {
    return { name: NAME, address: '127.0.0.1', port: this.#udp.port };
  }

  receive(channel: Channel, from: PeerAddress, bytes: Uint8Array): void {
    this.#host.receive(channel, from, bytes, now());
    this.#wake();
  }

  close(): void {
    clearInterval(this.#timer);
    this.#inward.end();
    this.#outward.end();
    this.#udp.close();
  }

  #wake(): void {
    const nowMs = now();
    for (const { id, state } of this.#host.sessions(nowMs)) {
      if (state === 'ringing') this.#host.accept(id, nowMs);
      if (state === 'open') this.#playTo(id, nowMs);
    }
    this.#host.advance(nowMs);
    const { datagrams } = this.#host.drain();
    for (const datagram of datagrams) this.#outward.pass(datagram.bytes, () => this.#udp.send(datagram));
  }

  #playTo(id: string, nowMs: number): void {
    let nextMs = this.#nextTickMs.get(id);
    if (nextMs === undefined) {
      nextMs = nowMs + AHEAD_MS;
      this.#host.send(id, [{ atMs: nextMs - 2, bytes: Uint8Array.of(0xfa) }]);
    }
    for (; nextMs < nowMs + AHEAD_MS; nextMs += TICK_MS)
      this.#host.send(id, [{ atMs: nextMs, bytes: Uint8Array.of(0xf8) }]);
    this.#nextTickMs.set(id, nextMs);
  }
}

/** One direction of the simulated link, in real time. */
class LateDelivery {
  readonly #link: Link;
  readonly #timers = new Set<NodeJS.Timeout>();
  #deliver: (() => void) | null = null;

  constructor(seed: number) {
    this.#link = new Link({ ...LINK, seed }, (_, atMs) => {
      const deliver = this.#deliver;
      const timer = setTimeout(() => {
        this.#timers.delete(timer);
        deliver?.();
      }, atMs - now());
      this.#timers.add(timer);
    });
  }

  pass(bytes: Uint8Array, deliver: () => void): void {
    this.#deliver = deliver;
    this.#link.send(bytes, now());
  }

  end(): void {
    for (const timer of this.#timers) clearTimeout(timer);
  }
}

function now(): number {
  return performance.now() + CLOCK_SHIFT_MS;
}
