import { SessionHost, type Channel, type IncomingMessage, type OutgoingDatagram } from '../network/session-host';
import { Link, type LinkSettings } from '../standin/link';
import { seededRandom } from '../standin/random';

export const A = { address: '127.0.0.1', port: 5004 };
export const B = { address: '127.0.0.1', port: 6004 };
/** What the clock of B says at 0 of A's, ms, and how much faster it runs. */
export const SHIFT_MS = 123_456.789;
export const DRIFT_PPM = 40;

const MAX_TRIES = 100;

/** A computer with nothing to do for this long sleeps. */
const ASLEEP_AFTER_MS = 5;

type End = 'a' | 'b';

interface Flying {
  atMs: number;
  to: End;
  deliver: (atMs: number) => void;
}

/** Two ends with clocks of their own and a network in between, in virtual time on A's clock. */
export class TwoEnds {
  a: SessionHost;
  readonly b: SessionHost;
  nowMs = 1000;
  /** Where B's clock is set to, ms, on top of its usual shift. */
  jumpMs = 0;
  /** How long it takes to wake an end that sleeps, ms. */
  wakesInMs = 0;
  readonly heardByA: IncomingMessage[] = [];
  readonly heardByB: IncomingMessage[] = [];
  readonly datagrams: Uint8Array[] = [];
  readonly #driftPpm: number;
  #flying: Flying[] = [];
  readonly #links: Record<'toA' | 'toB', Link>;
  readonly #busyMs: Record<End, number> = { a: -Infinity, b: -Infinity };
  #in: Omit<Flying, 'atMs'> | null = null;

  constructor(link: LinkSettings = { delayMs: 1 }, seed = 1, driftPpm = DRIFT_PPM) {
    this.#driftPpm = driftPpm;
    this.a = new SessionHost({ name: 'Boathouse', random: seededRandom(seed).uniform });
    this.b = new SessionHost({ name: 'Jetty', random: seededRandom(seed + 1).uniform });
    const linkOf = (more: number) =>
      new Link(
        { overtakes: true, ...link, seed: seed + more },
        (_, atMs) => this.#in && this.#flying.push({ atMs, ...this.#in }),
      );
    this.#links = { toA: linkOf(10), toB: linkOf(20) };
  }

  /** B's clock at a moment of A's, ms. */
  clockB(ms = this.nowMs): number {
    return ms * (1 + this.#driftPpm / 1e6) + SHIFT_MS + this.jumpMs;
  }

  /** A's clock at a moment of B's, ms. */
  clockA(ms: number): number {
    return (ms - SHIFT_MS - this.jumpMs) / (1 + this.#driftPpm / 1e6);
  }

  run(forMs: number, each?: (nowMs: number) => void): void {
    for (const endMs = this.nowMs + forMs; this.nowMs < endMs; this.nowMs++) {
      each?.(this.nowMs);
      this.#land();
      this.a.advance(this.nowMs);
      this.b.advance(this.clockB());
      this.#carry(this.nowMs);
    }
  }

  /** What is due arrives at its very moment, and is answered there and then. */
  #land(): void {
    const due = (): Flying | undefined =>
      this.#flying.reduce<Flying | undefined>(
        (first, one) => (one.atMs <= this.nowMs && !(first && first.atMs <= one.atMs) ? one : first),
        undefined,
      );
    for (let next = due(); next; next = due()) {
      this.#flying.splice(this.#flying.indexOf(next), 1);
      const asleep = next.atMs - this.#busyMs[next.to] > ASLEEP_AFTER_MS;
      const heardMs = next.atMs + (asleep ? this.wakesInMs : 0);
      this.#busyMs[next.to] = heardMs;
      next.deliver(heardMs);
      this.#carry(heardMs);
    }
  }

  #carry(atMs: number): void {
    const [fromA, fromB] = [this.a.drain(), this.b.drain()];
    this.heardByA.push(...fromA.messages);
    this.heardByB.push(...fromB.messages);
    if (fromA.datagrams.length > 0) this.#busyMs.a = atMs;
    if (fromB.datagrams.length > 0) this.#busyMs.b = atMs;
    for (const one of fromA.datagrams) this.#fly('toB', A, one, atMs);
    for (const one of fromB.datagrams) this.#fly('toA', B, one, atMs);
  }

  #fly(
    way: 'toA' | 'toB',
    from: { address: string; port: number },
    { channel, bytes, to }: OutgoingDatagram,
    atMs: number,
  ): void {
    this.datagrams.push(bytes);
    const host = () => (way === 'toA' ? this.a : this.b);
    const home = way === 'toA' ? A : B;
    const arrivesOn: Channel = to.port === home.port ? 'control' : 'data';
    const sender = { address: from.address, port: channel === 'control' ? from.port : from.port + 1 };
    const end = way === 'toA' ? 'a' : 'b';
    this.#in = {
      to: end,
      deliver: (ms) => host().receive(arrivesOn, sender, bytes, way === 'toA' ? ms : this.clockB(ms)),
    };
    this.#links[way].send(bytes, atMs);
    this.#in = null;
  }

  /** A invites, B accepts, however many packets are lost. */
  connect(): void {
    this.a.invite(B, 'somebody', this.nowMs);
    for (let tries = 0; tries < MAX_TRIES && this.a.sessions(this.nowMs)[0]?.state !== 'open'; tries++) {
      this.run(60);
      const ringing = this.b.sessions(this.clockB()).find(({ state }) => state === 'ringing');
      if (ringing) this.b.accept(ringing.id, this.clockB());
    }
    this.run(3000);
  }
}
