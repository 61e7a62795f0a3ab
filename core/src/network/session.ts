import { ClockMatch, type ClockDifference } from './clock-match';
import { Playout } from './playout';
import { decodeRtpMidi } from './rtp-midi';
import { STAMPS_PER_MS, type SessionPacket } from './session-packets';
import { TRANSITIONS, type SessionEvent, type SessionState } from './session-states';
import { StreamReceiver, type StreamCounts } from './stream-receiver';
import { StreamSender } from './stream-sender';

/** Bytes with their due time, ms. */
export interface DueBytes {
  atMs: number;
  bytes: Uint8Array;
}

/** A peer's address; its data port is the one after its control port. */
export interface PeerAddress {
  address: string;
  port: number;
}

/** One clock exchange, as sent and answered: on our clock and theirs, ms. */
export interface ExchangeRecord {
  /** Numbered from 1. */
  number: number;
  sentMs: number;
  /** Null without a reply. */
  theirsMs: number | null;
  receivedMs: number | null;
}

export interface SessionSnapshot extends StreamCounts {
  id: string;
  name: string;
  address: string;
  port: number;
  weInvited: boolean;
  state: SessionState;
  /** Why it ended. */
  reason: string | null;
  /** Null before the first clock exchange. */
  clock: ClockDifference | null;
  /** Round trip of the last exchange, ms. */
  roundTripMs: number | null;
  bufferMs: number;
  /** How exactly messages play at their time plus the buffer, 95 %, ms; null before the first clock exchange. */
  playoutErrorMs: number | null;
  sent: number;
  /** Messages that arrived after their playout time. */
  playedLate: number;
  malformed: number;
}

export const DEFAULT_BUFFER_MS = 30;
const QUICK_EXCHANGES = 24;
const QUICK_EVERY_MS = 50;
const EXCHANGE_EVERY_MS = 1000;
const PROBE_EVERY_MS = 25;
/** While the clock is less certain than this, ms, it is asked twice in this time: as much traffic as clock at 160 BPM. */
const CERTAIN_MS = 0.1;
const UNCERTAIN_EVERY_MS = 30;
const FEEDBACK_EVERY_MS = 1000;
/** Delays after the last message, with back-off. */
const GUARD_AFTER_MS = [50, 100, 200, 500, 1000, 2000];
const CALL_EVERY_MS = 1000;
const MAX_CALLS = 12;
const RING_FOR_MS = 60_000;
const EXPECT_FOR_MS = 15_000;
/** Timeouts: for a session we poll every second, and for one the peer polls at its own pace, possibly once a minute. */
const SILENT_FOR_MS = { asked: 10_000, asking: 75_000 };
/** At two exchanges every 30 ms, enough for a round trip of almost four seconds. */
const MAX_OUTSTANDING = 256;
const MAX_RECORDS = 4096;
/** Sent a moment early rather than late: computer timers are accurate to about a millisecond. */
const SEND_AHEAD_MS = 0.5;
const MAX_WAITING = 8192;

export interface SessionSettings {
  id: string;
  peer: PeerAddress;
  weInvited: boolean;
  token: number;
  ssrc: number;
  firstSequence: number;
  /** The peer's name, as far as it is known. */
  name: string;
  ourName: string;
  nowMs: number;
}

/** What a session needs from the outside. */
export interface SessionOutput {
  send(channel: 'control' | 'data', packet: SessionPacket | Uint8Array): void;
  play(message: DueBytes): void;
  changed(): void;
}

/** One session with one peer; driven by times and datagrams. */
export class Session {
  readonly id: string;
  readonly weInvited: boolean;
  readonly token: number;
  readonly peer: PeerAddress;
  /** Our SSRC in this session. */
  readonly ssrc: number;
  dataPort: number;
  remoteSsrc: number | null = null;
  name: string;
  state: SessionState;
  reason: string | null = null;

  readonly #ourName: string;
  readonly #line: SessionOutput;
  readonly #match = new ClockMatch();
  readonly #playout = new Playout(this.#match, DEFAULT_BUFFER_MS);
  readonly #sender: StreamSender;
  readonly #receiver = new StreamReceiver();
  readonly #waiting: DueBytes[] = [];
  readonly #records: ExchangeRecord[] = [];
  /** Our timestamps that may come back: in requests, and in replies. */
  readonly #asked = new Map<number, ExchangeRecord>();
  readonly #answered = new Map<number, number>();
  #recordCount = 0;
  #sinceMs: number;
  #calls = 0;
  #callMs = -Infinity;
  #exchangeMs = -Infinity;
  #exchanges = 0;
  #probeUntilMs = -Infinity;
  #feedbackMs = -Infinity;
  #feedbackFor: number | null = null;
  #heardMs: number;
  #roundTripMs: number | null = null;
  /** When a received message may have to be played. */
  #playMs = Infinity;
  #sent = 0;
  #sentMs = Infinity;
  #guards = 0;
  #playedLate = 0;
  #malformed = 0;

  constructor(settings: SessionSettings, line: SessionOutput) {
    this.id = settings.id;
    this.peer = settings.peer;
    this.dataPort = settings.peer.port + 1;
    this.weInvited = settings.weInvited;
    this.token = settings.token;
    this.name = settings.name;
    this.state = settings.weInvited ? 'calling' : 'ringing';
    this.ssrc = settings.ssrc;
    this.#ourName = settings.ourName;
    this.#line = line;
    this.#sender = new StreamSender({ ssrc: settings.ssrc, firstSequence: settings.firstSequence });
    this.#sinceMs = this.#heardMs = settings.nowMs;
  }

  /** True if the event is valid in the current state. */
  happen(event: SessionEvent, nowMs: number, reason: string | null = null): boolean {
    const next = TRANSITIONS[this.state][event];
    if (!next) return false;
    this.state = next;
    this.#sinceMs = this.#heardMs = nowMs;
    this.#calls = 0;
    this.#callMs = -Infinity;
    if (next === 'ended') this.reason = reason;
    this.#line.changed();
    return true;
  }

  set bufferMs(ms: number) {
    this.#playout.bufferMs = ms;
  }

  /** Queues messages, sent at their due time. */
  send(messages: readonly DueBytes[]): void {
    if (this.state !== 'open') return;
    for (const message of messages) {
      if (this.#waiting.length >= MAX_WAITING) return;
      const at = this.#waiting.findLastIndex(({ atMs }) => atMs <= message.atMs) + 1;
      this.#waiting.splice(at, 0, message);
    }
  }

  /** When to advance next, ms: for a message due in either direction, a clock exchange, or repeating the journal. */
  get nextMs(): number {
    if (this.state !== 'open') return Infinity;
    const sendMs = (this.#waiting[0]?.atMs ?? Infinity) - SEND_AHEAD_MS;
    const askMs = this.weInvited ? this.#exchangeMs + this.#askEveryMs : Infinity;
    const guardMs = this.#sentMs + (GUARD_AFTER_MS[this.#guards] ?? Infinity);
    return Math.min(sendMs, this.#playMs, askMs, guardMs);
  }

  advance(nowMs: number): void {
    switch (this.state) {
      case 'calling':
      case 'callingData':
        this.#call(nowMs);
        return;
      case 'ringing':
        if (nowMs - this.#heardMs > RING_FOR_MS) this.happen('no answer', nowMs, 'Invitation timed out');
        return;
      case 'expecting':
        if (nowMs - this.#sinceMs > EXPECT_FOR_MS) this.happen('no answer', nowMs, 'Peer stopped connecting');
        return;
      case 'open':
        this.#keepOpen(nowMs);
        return;
      case 'ended':
    }
  }

  heardOf(nowMs: number): void {
    this.#heardMs = nowMs;
  }

  /** A datagram from this peer on the data port. */
  receiveMusic(datagram: Uint8Array, nowMs: number): void {
    if (this.state !== 'open') return;
    const packet = decodeRtpMidi(datagram);
    if (!packet || packet.ssrc !== this.remoteSsrc) {
      this.#malformed++;
      return;
    }
    this.#heardMs = nowMs;
    this.#receiver.push(packet, nowMs, this.#match.count > 0 ? this.#match.toTheirs(nowMs) : null);
    const stampMs = this.#receiver.lastStampMs;
    if (stampMs !== null) this.#playout.arrived(stampMs, nowMs);
    this.#play(nowMs);
  }

  receiveClock(packet: Extract<SessionPacket, { kind: 'clock' }>, nowMs: number): void {
    if (this.state !== 'open' || packet.ssrc !== this.remoteSsrc) return;
    this.#heardMs = nowMs;
    const [first, second, third] = packet.times;
    const now = stampOf(nowMs);
    if (packet.count === 0) {
      bounded(this.#answered).set(now, nowMs);
      this.#line.send('data', { kind: 'clock', ssrc: this.ssrc, count: 1, times: [first, now, 0] });
    } else if (packet.count === 1) {
      const record = this.#asked.get(first);
      if (!record) return;
      this.#asked.delete(first);
      record.theirsMs = second / STAMPS_PER_MS;
      record.receivedMs = nowMs;
      this.#line.send('data', { kind: 'clock', ssrc: this.ssrc, count: 2, times: [first, second, now] });
      this.#compare({ sentMs: record.sentMs, theirsMs: record.theirsMs, receivedMs: nowMs });
      // The second question of a pair is the better one: the first also wakes both ends.
      if (record.number % 2 === 1 && !this.#probes) this.#ask(nowMs);
    } else {
      const answeredMs = this.#answered.get(second);
      if (answeredMs === undefined || third < first) return;
      this.#answered.delete(second);
      // From our answer to what it brought back. The request before it is left out: it reached a sleeping computer,
      // while by now both ends are awake, so the two ways take equally long.
      const exchange = { sentMs: answeredMs, theirsMs: third / STAMPS_PER_MS, receivedMs: nowMs };
      this.#note({ ...exchange, number: 0 });
      this.#compare(exchange);
    }
  }

  receiveFeedback({ sequence }: { sequence: number }): void {
    this.#sender.heard(sequence);
  }

  /** Exchanges clocks more often for a while. Only the inviting side may. */
  probeUntil(ms: number): void {
    this.#probeUntilMs = ms;
  }

  /** The exchanges after a given number. */
  exchangesAfter(number: number): ExchangeRecord[] {
    return this.#records.filter((record) => record.number > number).map((record) => ({ ...record }));
  }

  snapshot(nowMs: number): SessionSnapshot {
    return {
      ...this.#receiver.counts,
      id: this.id,
      name: this.name,
      ...this.peer,
      weInvited: this.weInvited,
      state: this.state,
      reason: this.reason,
      clock: this.#match.at(nowMs),
      roundTripMs: this.#roundTripMs,
      bufferMs: this.#playout.bufferMs,
      playoutErrorMs: this.#playout.errorMs(nowMs),
      sent: this.#sent,
      playedLate: this.#playedLate,
      malformed: this.#malformed,
    };
  }

  #call(nowMs: number): void {
    if (nowMs - this.#callMs < CALL_EVERY_MS) return;
    if (this.#calls >= MAX_CALLS) {
      this.happen('no answer', nowMs, 'No reply');
      return;
    }
    this.#calls++;
    this.#callMs = nowMs;
    this.#line.send(this.state === 'calling' ? 'control' : 'data', this.#invitation());
  }

  #invitation(): SessionPacket {
    return { kind: 'invitation', token: this.token, ssrc: this.ssrc, name: this.#ourName };
  }

  #keepOpen(nowMs: number): void {
    if (nowMs - this.#heardMs > SILENT_FOR_MS[this.weInvited ? 'asked' : 'asking']) {
      this.#line.send('control', { kind: 'end', token: this.token, ssrc: this.ssrc });
      this.happen('no answer', nowMs, 'Connection lost');
      return;
    }
    this.#sendDue(nowMs);
    this.#guard(nowMs);
    this.#askTime(nowMs);
    this.#playout.advance(nowMs);
    if (nowMs >= this.#playMs) this.#play(nowMs);
    const { heard } = this.#receiver;
    if (heard !== null && heard !== this.#feedbackFor && nowMs - this.#feedbackMs >= FEEDBACK_EVERY_MS) {
      this.#feedbackMs = nowMs;
      this.#feedbackFor = heard;
      this.#line.send('control', { kind: 'feedback', ssrc: this.ssrc, sequence: heard });
    }
  }

  /** A lost final packet leaves no sequence gap to detect, so repeat the journal with increasing back-off. */
  #guard(nowMs: number): void {
    const waitMs = GUARD_AFTER_MS[this.#guards];
    if (waitMs === undefined || nowMs - this.#sentMs < waitMs) return;
    this.#guards++;
    const datagram = this.#sender.guard(stampOf(nowMs));
    if (datagram) this.#line.send('data', datagram);
  }

  #sendDue(nowMs: number): void {
    const count = this.#waiting.findIndex(({ atMs }) => atMs > nowMs + SEND_AHEAD_MS);
    const due = this.#waiting.splice(0, count < 0 ? this.#waiting.length : count);
    if (due.length === 0) return;
    this.#sent += due.length;
    this.#sentMs = nowMs;
    this.#guards = 0;
    const stamped = due.map(({ atMs, bytes }) => ({ stamp: stampOf(atMs), bytes }));
    for (const datagram of this.#sender.packets(stamped)) this.#line.send('data', datagram);
  }

  get #askEveryMs(): number {
    if (this.#probes) return PROBE_EVERY_MS;
    const often =
      this.#exchanges < QUICK_EXCHANGES
        ? QUICK_EVERY_MS
        : this.#isClockCertain()
          ? EXCHANGE_EVERY_MS
          : UNCERTAIN_EVERY_MS;
    // Spread the poll intervals (±15% by SSRC) so that sessions don't all ask at once.
    return often * (0.85 + (0.3 * this.ssrc) / 2 ** 32);
  }

  get #probes(): boolean {
    return this.#probeUntilMs > -Infinity;
  }

  #isClockCertain(): boolean {
    const errorMs = this.#match.at(this.#exchangeMs)?.standardErrorMs;
    return errorMs === undefined || (errorMs < CERTAIN_MS && !this.#match.isInDoubt);
  }

  #askTime(nowMs: number): void {
    if (nowMs >= this.#probeUntilMs) this.#probeUntilMs = -Infinity;
    if (!this.weInvited || nowMs - this.#exchangeMs < this.#askEveryMs) return;
    this.#exchangeMs = nowMs;
    this.#exchanges++;
    this.#ask(nowMs);
  }

  #ask(nowMs: number): void {
    const stamp = stampOf(nowMs);
    const record = this.#note({ number: 0, sentMs: nowMs, theirsMs: null, receivedMs: null });
    bounded(this.#asked).set(stamp, record);
    this.#line.send('data', { kind: 'clock', ssrc: this.ssrc, count: 0, times: [stamp, 0, 0] });
  }

  #note(record: ExchangeRecord): ExchangeRecord {
    record.number = ++this.#recordCount;
    this.#records.push(record);
    if (this.#records.length > MAX_RECORDS) this.#records.splice(0, MAX_RECORDS / 4);
    return record;
  }

  #compare(exchange: { sentMs: number; theirsMs: number; receivedMs: number }): void {
    this.#roundTripMs = exchange.receivedMs - exchange.sentMs;
    this.#match.push(exchange);
  }

  #play(nowMs: number): void {
    for (const { stampMs, bytes } of this.#receiver.take(nowMs, (ms) => this.#playout.dueMs(ms))) {
      const dueMs = this.#playout.dueMs(stampMs);
      if (dueMs < nowMs) this.#playedLate++;
      this.#line.play({ atMs: Math.max(dueMs, nowMs), bytes });
    }
    this.#playMs = this.#receiver.nextMs(nowMs, (ms) => this.#playout.dueMs(ms));
  }
}

function stampOf(ms: number): number {
  return Math.round(ms * STAMPS_PER_MS);
}

function bounded<Value>(map: Map<number, Value>): Map<number, Value> {
  const [oldest] = map.keys();
  if (map.size >= MAX_OUTSTANDING && oldest !== undefined) map.delete(oldest);
  return map;
}
