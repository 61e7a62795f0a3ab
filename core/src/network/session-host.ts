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

/** A message that came from a peer, and when it is to be played. */
export interface IncomingMessage extends DueBytes {
  sessionId: string;
}

export interface SessionHostOptions {
  /** As others see it. */
  name: string;
  /** From 0 to below 1; of a quality that cannot be foretold, for it makes the tokens. */
  random(): number;
}

export const MOST_SESSIONS = 64;
const MOST_RINGING = 16;
const RING_EVERY_MS = 50;
const KEEP_ENDED_MS = 60_000;
const MOST_ENDED = 32;
const MOST_DATAGRAM = 2048;

/**
 * Our end of network MIDI: all its sessions. It has no socket, no timer and no clock: datagrams and times go in, and datagrams and
 * MIDI with the time it is due come out. Nothing is answered to whoever was not invited and did not invite.
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
   * Invites who listens at an address; gives the session's id.
   * @throws RangeError when there are as many sessions as there may be, or one with that peer already.
   */
  invite(peer: PeerAddress, name: string, nowMs: number): string {
    if (this.#live().length >= MOST_SESSIONS)
      throw new RangeError(`There are ${MOST_SESSIONS} sessions; end one first.`);
    if (this.#live().some((session) => isAt(session, peer) && session.state !== 'ringing'))
      throw new RangeError('There is a session with that peer already.');
    const session = this.#open(peer, { weInvited: true, name, token: this.#number(), nowMs });
    session.advance(nowMs);
    return session.id;
  }

  /** Says yes to an invitation. False when there is none any more. */
  accept(id: string, nowMs: number): boolean {
    const session = this.#sessions.get(id);
    if (!session?.happen('accept', nowMs)) return false;
    // A peer that was started anew has forgotten the session that it had.
    for (const old of this.#live())
      if (old !== session && isAt(old, session.peer)) old.happen('ended by peer', nowMs, 'it began anew');
    this.#sayAccepted(session, 'control');
    return true;
  }

  /** Says no to an invitation, takes our own back, or ends a session. */
  leave(id: string, nowMs: number): boolean {
    const session = this.#sessions.get(id);
    if (!session) return false;
    const kind = session.state === 'ringing' ? 'refused' : 'end';
    const reason = kind === 'refused' ? 'refused here' : 'ended here';
    if (!session.happen('leave', nowMs, reason)) return false;
    this.#send(session, 'control', { kind, token: session.token, ssrc: session.ssrc });
    return true;
  }

  setBuffer(id: string, ms: number): boolean {
    const session = this.#sessions.get(id);
    if (session) session.bufferMs = ms;
    return session !== undefined;
  }

  /** Messages for a peer, sent at their time. */
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

  /** A datagram came to one of the two ports. Whatever it holds, nothing throws and nothing grows without bound. */
  receive(channel: Channel, from: PeerAddress, bytes: Uint8Array, nowMs: number): void {
    if (bytes.length > MOST_DATAGRAM) {
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
      if (nowMs - ms > KEEP_ENDED_MS || index < ended.length - MOST_ENDED) {
        this.#sessions.delete(id);
        this.#endedMs.delete(id);
      }
  }

  /** When this wants to be advanced, ms; what is not yet open can wait for some tens of ms. */
  get nextMs(): number {
    let next = Infinity;
    for (const session of this.#sessions.values()) next = Math.min(next, session.nextMs);
    return next;
  }

  /** Whether there is a session with who sent this from one of its two ports. */
  knows({ address, port }: PeerAddress): boolean {
    for (const { peer, dataPort, state } of this.#sessions.values())
      if (state !== 'ended' && peer.address === address && (peer.port === port || dataPort === port)) return true;
    return false;
  }

  /** Nothing will happen by itself. */
  get isIdle(): boolean {
    return this.#sessions.size === 0;
  }

  /** What there is to send and to play since this was asked last, and whether any session came, went or changed its state. */
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

  /** Datagrams that were nobody's, or made no sense. */
  get ignored(): number {
    return this.#ignored;
  }

  /** Whether the packet was anybody's. */
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
        return session.happen('ended by peer', nowMs, 'the other side ended it');
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
    // A flood of invitations is no reason to ring like mad; who means it invites again in a second.
    if (nowMs - this.#rangMs < RING_EVERY_MS) return false;
    this.#rangMs = nowMs;
    const live = this.#live();
    const ringing = live.filter(({ state }) => state === 'ringing');
    if (ringing.length >= MOST_RINGING || live.length >= MOST_SESSIONS + MOST_RINGING) return false;
    // A peer that begins anew has forgotten what was before.
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
