import { ClockMatch, decodeFrame, encodeFrame, type WireLine, type WireMessage } from '@metronomo/core';

/** What the hub's worker tells of its way to the server. */
export interface WireState {
  connected: boolean;
  /** The peers with a session, by key. */
  peers: { key: string; open: boolean }[];
  /** How well the server's clock is known, ms; null before it was asked. */
  clockErrorMs: number | null;
}

export interface WireDoor {
  url: string;
  protocols: string[];
}

/** Bytes that came from a peer, and when they are to be played, in ms of the window's clock. */
export interface PeerMessage {
  key: string;
  bytes: Uint8Array;
  atMs: number;
}

const QUICK_ASKS = 10;
const QUICK_EVERY_MS = 60;
const ASK_EVERY_MS = 1000;
/** Handed on so long before they are due. */
const AHEAD_MS = 10;
const MOST_WAITING = 20_000;
const MOST_UNSENT = 1 << 20;

/**
 * The way from the hub's worker to the server, and by it to the peers: no busy page holds it up. Their clock is asked for all the time;
 * what came waits here until it is due.
 */
export class WireSocket {
  readonly #now: () => number;
  readonly #changed: (state: WireState) => void;
  #socket: WebSocket | null = null;
  #match = new ClockMatch();
  #asks = 0;
  #askedMs = -Infinity;
  #lines: WireLine[] = [];
  #waiting: PeerMessage[] = [];
  readonly #outgoing: WireMessage[] = [];

  constructor(now: () => number, changed: (state: WireState) => void) {
    this.#now = now;
    this.#changed = changed;
  }

  /** Opens the way; one that was open before is closed. When it is lost, that is told, and somebody may open it again. */
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

  /** For a peer, at a time of the window's clock. False when there is no way to it. */
  send(key: string, bytes: Uint8Array, atMs: number): boolean {
    const line = this.#lines.find((one) => one.key === key && one.open)?.line;
    if (line === undefined || this.#match.count === 0 || this.#socket?.readyState !== WebSocket.OPEN) return false;
    this.#outgoing.push({ line, bytes, atMs: this.#match.toTheirs(atMs) });
    return true;
  }

  /** Everything that was sent since, in one frame. */
  flush(): void {
    if (this.#outgoing.length === 0) return;
    const messages = this.#outgoing.splice(0);
    if (!this.#socket || this.#socket.bufferedAmount > MOST_UNSENT) return;
    this.#socket.send(encodeFrame({ kind: 'messages', messages }));
  }

  /** What came and is due, in order of time. Call at every wake-up. */
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
    if (nowMs - this.#askedMs < (this.#asks < QUICK_ASKS ? QUICK_EVERY_MS : ASK_EVERY_MS)) return;
    this.#asks++;
    this.#askedMs = nowMs;
    this.#socket.send(encodeFrame({ kind: 'ask', sentMs: nowMs }));
  }

  #received(bytes: Uint8Array): void {
    const frame = decodeFrame(bytes);
    switch (frame?.kind) {
      case 'answer':
        this.#match.push({ sentMs: frame.sentMs, theirsMs: frame.serverMs, receivedMs: this.#now() });
        if (this.#match.count === 1) this.#tell();
        return;
      case 'lines':
        this.#lines = frame.lines;
        this.#tell();
        return;
      case 'messages':
        for (const { line, atMs, bytes: message } of frame.messages) {
          const key = this.#lines.find((one) => one.line === line)?.key;
          if (key === undefined || this.#match.count === 0 || this.#waiting.length >= MOST_WAITING) continue;
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
