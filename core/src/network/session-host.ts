import {
  decodeSessionPacket,
  encodeSessionPacket,
  isSessionPacket,
  plainName,
  type Introduction,
  type SessionPacket,
} from './session-packets';
import { REFUSED } from './session-states';
import { Session, type DueBytes, type ExchangeRecord, type PeerAddress, type SessionSnapshot } from './session';

export type Channel = 'control' | 'data';

export interface OutgoingDatagram {
  channel: Channel;
  to: PeerAddress;
  bytes: Uint8Array;
}

/** A message from a peer, with its playout time. */
export interface IncomingMessage extends DueBytes {
  sessionId: string;
}

export interface SessionHostOptions {
  /** The name shown to peers. */
  name: string;
  /** 0 up to but excluding 1; cryptographically secure, because it makes the tokens. */
  random(): number;
}

export const MAX_SESSIONS = 64;
const MAX_RINGING = 16;
const MAX_RINGING_OF_ONE_ADDRESS = 4;
const RING_EVERY_MS = 50;
const KEEP_ENDED_MS = 60_000;
const MAX_ENDED = 32;
const MAX_DATAGRAM = 2048;

/**
 * Our end of network MIDI with all its sessions. No sockets, timers or clock: datagrams and times go in, datagrams and
 * MIDI with due times come out. Unknown senders get no reply.
 */
export class SessionHost {
  readonly #options: SessionHostOptions;
  readonly #sessions = new Map<string, Session>();
  readonly #endedMs = new Map<string, number>();
  #count = 0;
  #datagrams: OutgoingDatagram[] = [];
  #messages: IncomingMessage[] = [];
  #changed = false;
  #ignored = 0;
  #rangMs = -Infinity;

  constructor(options: SessionHostOptions) {
    this.#options = { ...options, name: plainName(options.name) };
  }

  get name(): string {
    return this.#options.name;
  }

  /**
   * Invites a peer by address; returns the session id.
   * @throws RangeError if the number of sessions is at its limit, or there already is one with that peer.
   */
  invite(peer: PeerAddress, name: string, nowMs: number): string {
    if (this.#live().length >= MAX_SESSIONS)
      throw new RangeError(`All ${MAX_SESSIONS} network sessions are in use. End one first.`);
    if (this.#live().some((session) => isAt(session, peer) && session.state !== 'ringing'))
      throw new RangeError('You already have a session with this peer. End it first to reconnect.');
    const session = this.#open(peer, { weInvited: true, name, token: this.#number(), nowMs });
    session.advance(nowMs);
    return session.id;
  }

  /** Accepts an invitation. False if it no longer exists. */
  accept(id: string, nowMs: number): boolean {
    const session = this.#sessions.get(id);
    if (!session?.happen('accept', nowMs)) return false;
    // A restarted peer has lost the session it had.
    for (const old of this.#live())
      if (old !== session && isAt(old, session.peer)) old.happen('ended by peer', nowMs, 'Peer restarted');
    this.#sayAccepted(session, 'control');
    return true;
  }

  /** Declines an invitation, cancels our own, or ends a session. */
  leave(id: string, nowMs: number): boolean {
    const session = this.#sessions.get(id);
    if (!session) return false;
    const kind = session.state === 'ringing' ? 'refused' : 'end';
    const reason = kind === 'refused' ? 'Declined here' : 'Ended here';
    if (!session.happen('leave', nowMs, reason)) return false;
    this.#send(session, 'control', { kind, token: session.token, ssrc: session.ssrc });
    return true;
  }

  setBuffer(id: string, ms: number): boolean {
    const session = this.#sessions.get(id);
    if (session) session.bufferMs = ms;
    return session !== undefined;
  }

  /** Queues messages for a peer, sent at their due time. */
  send(id: string, messages: readonly DueBytes[]): void {
    this.#sessions.get(id)?.send(messages);
  }

  probe(id: string, untilMs: number): boolean {
    const session = this.#sessions.get(id);
    session?.probeUntil(untilMs);
    return session?.state === 'open';
  }

  exchangesAfter(id: string, number: number): ExchangeRecord[] | null {
    return this.#sessions.get(id)?.exchangesAfter(number) ?? null;
  }

  /**
   * A datagram arrived on one of the two ports. Whatever it contains, nothing throws and nothing grows without bound.
   */
  receive(channel: Channel, from: PeerAddress, bytes: Uint8Array, nowMs: number): void {
    if (bytes.length > MAX_DATAGRAM) {
      this.#ignored++;
      return;
    }
    if (!isSessionPacket(bytes)) {
      const session = channel === 'data' ? this.#withData(from) : undefined;
      if (session) session.receiveMusic(bytes, nowMs);
      else this.#ignored++;
      return;
    }
    const packet = decodeSessionPacket(bytes);
    if (!packet || !this.#receivePacket(packet, channel, from, nowMs)) this.#ignored++;
  }

  advance(nowMs: number): void {
    for (const session of this.#sessions.values()) session.advance(nowMs);
    for (const session of this.#sessions.values())
      if (session.state === 'ended' && !this.#endedMs.has(session.id)) this.#endedMs.set(session.id, nowMs);
    const ended = [...this.#endedMs];
    for (const [index, [id, ms]] of ended.entries())
      if (nowMs - ms > KEEP_ENDED_MS || index < ended.length - MAX_ENDED) {
        this.#sessions.delete(id);
        this.#endedMs.delete(id);
      }
  }

  /** When to advance next, ms; sessions that aren't open yet can wait some tens of ms. */
  get nextMs(): number {
    let next = Infinity;
    for (const session of this.#sessions.values()) next = Math.min(next, session.nextMs);
    return next;
  }

  /** Whether the sender is one of our peers, from either of its two ports. */
  knows({ address, port }: PeerAddress): boolean {
    for (const { peer, dataPort, state } of this.#sessions.values())
      if (state !== 'ended' && peer.address === address && (peer.port === port || dataPort === port)) return true;
    return false;
  }

  /** No sessions, so nothing is scheduled. */
  get isIdle(): boolean {
    return this.#sessions.size === 0;
  }

  /**
   * Datagrams to send and messages to play since the last call, and whether any session was added, removed or changed
   * state.
   */
  drain(): { datagrams: OutgoingDatagram[]; messages: IncomingMessage[]; changed: boolean } {
    const drained = { datagrams: this.#datagrams, messages: this.#messages, changed: this.#changed };
    this.#datagrams = [];
    this.#messages = [];
    this.#changed = false;
    return drained;
  }

  sessions(nowMs: number): SessionSnapshot[] {
    return [...this.#sessions.values()].map((session) => session.snapshot(nowMs));
  }

  /** Dropped datagrams: unknown sender or malformed. */
  get ignored(): number {
    return this.#ignored;
  }

  /** Whether the packet belonged to a session. */
  #receivePacket(packet: SessionPacket, channel: Channel, from: PeerAddress, nowMs: number): boolean {
    if (packet.kind === 'invitation') return this.#invited(packet, channel, from, nowMs);
    const session = this.#live().find(
      (one) => one.peer.address === from.address && this.#isFrom(one, packet, channel, from),
    );
    if (!session) return false;
    switch (packet.kind) {
      case 'accepted':
        if (!session.weInvited || (session.state === 'calling' && channel !== 'control')) return false;
        if (session.state === 'calling') {
          session.remoteSsrc = packet.ssrc;
          session.name = packet.name;
        } else if (packet.ssrc !== session.remoteSsrc) return false;
        if (session.happen(channel === 'control' ? 'accepted on control' : 'accepted on data', nowMs))
          session.advance(nowMs);
        return true;
      case 'refused':
        return session.happen('refused', nowMs, REFUSED);
      case 'end':
        return session.happen('ended by peer', nowMs, 'Ended by peer');
      case 'clock':
        session.receiveClock(packet, nowMs);
        return true;
      case 'feedback':
        session.heardOf(nowMs);
        session.receiveFeedback(packet);
        return true;
    }
  }

  #isFrom(session: Session, packet: SessionPacket, channel: Channel, from: PeerAddress): boolean {
    if (from.port !== (channel === 'control' ? session.peer.port : session.dataPort)) return false;
    if (packet.kind === 'accepted' || packet.kind === 'refused') return packet.token === session.token;
    return packet.ssrc === session.remoteSsrc;
  }

  #invited(packet: Introduction, channel: Channel, from: PeerAddress, nowMs: number): boolean {
    const known = this.#live().find(
      (one) =>
        one.token === packet.token &&
        one.remoteSsrc === packet.ssrc &&
        one.peer.address === from.address &&
        !one.weInvited,
    );
    if (channel === 'data') {
      if (!known || (known.state !== 'expecting' && known.dataPort !== from.port)) return false;
      if (known.state === 'expecting') known.dataPort = from.port;
      if (known.state !== 'open' && !known.happen('invited on data', nowMs)) return false;
      this.#sayAccepted(known, 'data');
      return true;
    }
    if (known) {
      if (known.peer.port !== from.port) return false;
      known.heardOf(nowMs);
      if (known.state === 'expecting') this.#sayAccepted(known, 'control');
      return true;
    }
    return this.#ring(packet, from, nowMs);
  }

  #ring(packet: Introduction, from: PeerAddress, nowMs: number): boolean {
    // Rate limit: ignore invitation floods. A genuine peer retries within a second.
    if (nowMs - this.#rangMs < RING_EVERY_MS) return false;
    this.#rangMs = nowMs;
    const live = this.#live();
    const ringing = live.filter(({ state }) => state === 'ringing');
    // One computer can't take every place, and many can't keep others out: the longest unanswered one makes room.
    const ofSame = ringing.filter(({ peer }) => peer.address === from.address);
    if (ofSame.length >= MAX_RINGING_OF_ONE_ADDRESS || live.length >= MAX_SESSIONS + MAX_RINGING) return false;
    const [oldest] = ringing;
    if (oldest && ringing.length >= MAX_RINGING) this.#sessions.delete(oldest.id);
    // A restarted peer has lost its earlier sessions.
    for (const old of live)
      if (!old.weInvited && isAt(old, from) && old.state !== 'open') this.#sessions.delete(old.id);
    const session = this.#open(from, { weInvited: false, name: packet.name, token: packet.token, nowMs });
    session.remoteSsrc = packet.ssrc;
    return true;
  }

  #open(
    peer: PeerAddress,
    { weInvited, name, token, nowMs }: { weInvited: boolean; name: string; token: number; nowMs: number },
  ): Session {
    const session: Session = new Session(
      {
        id: `s${++this.#count}`,
        peer,
        weInvited,
        token,
        ssrc: this.#number(),
        firstSequence: this.#number() & 0x7fff,
        name: plainName(name),
        ourName: this.#options.name,
        nowMs,
      },
      {
        send: (channel, packet) => this.#send(session, channel, packet),
        play: (message) => this.#messages.push({ sessionId: session.id, ...message }),
        changed: () => (this.#changed = true),
      },
    );
    this.#sessions.set(session.id, session);
    this.#changed = true;
    return session;
  }

  #sayAccepted(session: Session, channel: Channel): void {
    const { token } = session;
    this.#send(session, channel, { kind: 'accepted', token, ssrc: session.ssrc, name: this.#options.name });
  }

  #send(session: Session, channel: Channel, packet: SessionPacket | Uint8Array): void {
    const bytes = packet instanceof Uint8Array ? packet : encodeSessionPacket(packet);
    const port = channel === 'control' ? session.peer.port : session.dataPort;
    this.#datagrams.push({ channel, to: { address: session.peer.address, port }, bytes });
  }

  #withData(from: PeerAddress): Session | undefined {
    for (const session of this.#sessions.values())
      if (session.state === 'open' && session.dataPort === from.port && session.peer.address === from.address)
        return session;
    return undefined;
  }

  #live(): Session[] {
    return [...this.#sessions.values()].filter(({ state }) => state !== 'ended');
  }

  #number(): number {
    return Math.floor(this.#options.random() * 2 ** 32) >>> 0;
  }
}

function isAt(session: Session, { address, port }: PeerAddress): boolean {
  return session.peer.address === address && session.peer.port === port;
}
