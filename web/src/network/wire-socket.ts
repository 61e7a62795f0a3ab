import { ClockMatch, decodeFrame, encodeFrame, messageFrames, type WirePeer, type WireMessage } from '@metronomo/core';

/** State of the connection to the server. */
export interface WireState {
  connected: boolean;
  /** Peers with a session, by key. */
  peers: { key: string; open: boolean }[];
  /** Uncertainty of the server's clock, ms; null before the first exchange. */
  clockErrorMs: number | null;
}

export interface WireDoor {
  url: string;
  protocols: string[];
}

/** Bytes from a peer with their playout time, in ms of the window's clock. */
export interface PeerMessage {
  key: string;
  bytes: Uint8Array;
  atMs: number;
}

const QUICK_ASKS = 10;
const QUICK_EVERY_MS = 60;
const ASK_EVERY_MS = 1000;
/** While the server's clock isn't known this well, it is asked more often. */
const CERTAIN_MS = 0.04;
const UNCERTAIN_EVERY_MS = 100;
/** Hand-over lead before the due time. */
const AHEAD_MS = 10;
const MAX_WAITING = 20_000;
const MAX_UNSENT = 1 << 20;

/**
 * The hub worker's connection to the server and its peers, so that a busy page doesn't delay it. Clocks are exchanged
 * continuously; incoming messages wait here until due.
 */
export class WireSocket {
  readonly #now: () => number;
  readonly #changed: (state: WireState) => void;
  #socket: WebSocket | null = null;
  #match = new ClockMatch();
  #asks = 0;
  #asksLeft = 0;
  #askedMs = -Infinity;
  #lines: WirePeer[] = [];
  #waiting: PeerMessage[] = [];
  readonly #outgoing: WireMessage[] = [];

  constructor(now: () => number, changed: (state: WireState) => void) {
    this.#now = now;
    this.#changed = changed;
  }

  /** Opens the connection, closing an earlier one. A loss is reported, and the caller may reopen it. */
  open({ url, protocols }: WireDoor): void {
    this.#socket?.close();
    const socket = new WebSocket(url, protocols);
    socket.binaryType = 'arraybuffer';
    this.#socket = socket;
    this.#match = new ClockMatch();
    this.#asks = 0;
    this.#askedMs = -Infinity;
    socket.onopen = () => this.#tell();
    socket.onmessage = ({ data }: MessageEvent<ArrayBuffer>) => this.#received(new Uint8Array(data));
    socket.onclose = () => {
      if (this.#socket !== socket) return;
      this.#socket = null;
      this.#lines = [];
      this.#tell();
    };
  }

  /** Queues bytes for a peer at a time of the window's clock. False without a connection to it. */
  send(key: string, bytes: Uint8Array, atMs: number): boolean {
    const line = this.#lines.find((one) => one.key === key && one.open)?.line;
    if (line === undefined || this.#match.count === 0 || this.#socket?.readyState !== WebSocket.OPEN) return false;
    this.#outgoing.push({ line, bytes, atMs: this.#match.toTheirs(atMs) });
    return true;
  }

  /** Sends everything queued in one frame. */
  flush(): void {
    if (this.#outgoing.length === 0) return;
    const messages = this.#outgoing.splice(0);
    if (!this.#socket || this.#socket.bufferedAmount > MAX_UNSENT) return;
    for (const frame of messageFrames(messages)) this.#socket.send(frame);
  }

  /** Messages that are due, in time order. Call at every wake-up. */
  due(): PeerMessage[] {
    const nowMs = this.#now();
    this.#keep(nowMs);
    if (this.#waiting.length === 0) return [];
    const due = this.#waiting.filter(({ atMs }) => atMs <= nowMs + AHEAD_MS);
    if (due.length > 0) this.#waiting = this.#waiting.filter(({ atMs }) => atMs > nowMs + AHEAD_MS);
    return due.sort((a, b) => a.atMs - b.atMs);
  }

  #keep(nowMs: number): void {
    if (this.#socket?.readyState !== WebSocket.OPEN) return;
    if (nowMs - this.#askedMs < this.#askEveryMs(nowMs)) return;
    this.#asks++;
    this.#askedMs = nowMs;
    this.#ask(2);
  }

  /** The second question of a pair is the better one: the first also wakes both ends. */
  #ask(times: number): void {
    this.#asksLeft = times - 1;
    this.#socket?.send(encodeFrame({ kind: 'ask', sentMs: this.#now() }));
  }

  #askEveryMs(nowMs: number): number {
    if (this.#asks < QUICK_ASKS) return QUICK_EVERY_MS;
    return (this.#match.at(nowMs)?.standardErrorMs ?? Infinity) > CERTAIN_MS ? UNCERTAIN_EVERY_MS : ASK_EVERY_MS;
  }

  #received(bytes: Uint8Array): void {
    const frame = decodeFrame(bytes);
    switch (frame?.kind) {
      case 'answer':
        this.#match.push({ sentMs: frame.sentMs, theirsMs: frame.serverMs, receivedMs: this.#now() });
        if (this.#asksLeft > 0) this.#ask(this.#asksLeft);
        if (this.#match.count === 1) this.#tell();
        return;
      case 'lines':
        this.#lines = frame.lines;
        this.#tell();
        return;
      case 'messages':
        for (const { line, atMs, bytes: message } of frame.messages) {
          const key = this.#lines.find((one) => one.line === line)?.key;
          if (key === undefined || this.#match.count === 0 || this.#waiting.length >= MAX_WAITING) continue;
          this.#waiting.push({ key, bytes: message, atMs: this.#match.toOurs(atMs) });
        }
    }
  }

  #tell(): void {
    this.#changed({
      connected: this.#socket?.readyState === WebSocket.OPEN,
      peers: this.#lines.map(({ key, open }) => ({ key, open })),
      clockErrorMs: this.#match.at(this.#now())?.standardErrorMs ?? null,
    });
  }
}
