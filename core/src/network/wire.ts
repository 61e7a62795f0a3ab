/**
 * The binary WebSocket frames between browser and server: timed MIDI, clock exchanges, and the list of sessions. Times
 * are in ms of the server's clock, numbers little-endian.
 */
export type WireFrame =
  | { kind: 'messages'; messages: WireMessage[] }
  /** The browser's clock request. */
  | { kind: 'ask'; sentMs: number }
  | { kind: 'answer'; sentMs: number; serverMs: number }
  | { kind: 'lines'; lines: WirePeer[] };

/** The WebSocket's subprotocol; the server's token follows as a second one with this prefix. */
export const WIRE_PROTOCOL = 'metronomo.wire.1';
export const TOKEN_PROTOCOL_PREFIX = 'metronomo.token.';
export const WIRE_PATH = '/api/network/wire';
/** The WebSocket between the hub's page and remote pages, and the protocols of both sides. */
export const REMOTE_PATH = '/api/remote';
export const REMOTE_HOST_PROTOCOL = 'metronomo.remote.host';
export const REMOTE_PROTOCOL = 'metronomo.remote';
/** HTTP header of the token, required on every request that changes state. */
export const TOKEN_HEADER = 'x-metronomo-token';

export interface WireMessage {
  /** Session number, valid for this connection. */
  line: number;
  atMs: number;
  bytes: Uint8Array;
}

export interface WirePeer {
  line: number;
  /** The browser's key of the peer: letters, digits, dots and hyphens. */
  key: string;
  open: boolean;
}

const MESSAGES = 1;
const ASK = 2;
const ANSWER = 3;
const LINES = 4;

const MESSAGE_HEADER = 16;
const LINE_HEADER = 6;
export const MAX_FRAME_BYTES = 1 << 20;
const MAX_MESSAGES = 20_000;
const KEY = /^[a-z0-9.-]{1,64}$/;

export function isPeerKey(text: string): boolean {
  return KEY.test(text);
}

/** @throws RangeError if it would exceed the frame size. */
export function encodeFrame(frame: WireFrame): Uint8Array<ArrayBuffer> {
  const { bytes, view } = newFrame(sizeOf(frame));
  switch (frame.kind) {
    case 'messages': {
      view.setUint8(0, MESSAGES);
      let at = 1;
      for (const message of frame.messages) {
        view.setUint32(at, message.line, true);
        view.setFloat64(at + 4, message.atMs, true);
        view.setUint32(at + 12, message.bytes.length, true);
        bytes.set(message.bytes, at + MESSAGE_HEADER);
        at += MESSAGE_HEADER + message.bytes.length;
      }
      break;
    }
    case 'ask':
      view.setUint8(0, ASK);
      view.setFloat64(1, frame.sentMs, true);
      break;
    case 'answer':
      view.setUint8(0, ANSWER);
      view.setFloat64(1, frame.sentMs, true);
      view.setFloat64(9, frame.serverMs, true);
      break;
    case 'lines': {
      view.setUint8(0, LINES);
      let at = 1;
      for (const { line, key, open } of frame.lines) {
        view.setUint32(at, line, true);
        view.setUint8(at + 4, open ? 1 : 0);
        view.setUint8(at + 5, key.length);
        for (let i = 0; i < key.length; i++) view.setUint8(at + LINE_HEADER + i, key.charCodeAt(i));
        at += LINE_HEADER + key.length;
      }
    }
  }
  return bytes;
}

/**
 * Messages in as many frames as they need, in order, each within the frame's limits. A message that is too large for a
 * frame of its own is left out.
 */
export function messageFrames(messages: readonly WireMessage[]): Uint8Array<ArrayBuffer>[] {
  const frames: WireMessage[][] = [];
  let room = 0;
  for (const message of messages) {
    const size = MESSAGE_HEADER + message.bytes.length;
    if (1 + size > MAX_FRAME_BYTES) continue;
    const last = frames.at(-1);
    if (last && size <= room && last.length < MAX_MESSAGES) {
      last.push(message);
      room -= size;
    } else {
      frames.push([message]);
      room = MAX_FRAME_BYTES - 1 - size;
    }
  }
  return frames.map((part) => encodeFrame({ kind: 'messages', messages: part }));
}

/** Null for incomplete frames. */
export function decodeFrame(bytes: Uint8Array): WireFrame | null {
  if (bytes.length > MAX_FRAME_BYTES) return null;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  switch (bytes[0]) {
    case MESSAGES:
      return decodeMessages(bytes, view);
    case ASK:
      return bytes.length === 9 ? { kind: 'ask', sentMs: view.getFloat64(1, true) } : null;
    case ANSWER:
      if (bytes.length !== 17) return null;
      return { kind: 'answer', sentMs: view.getFloat64(1, true), serverMs: view.getFloat64(9, true) };
    case LINES:
      return decodeLines(bytes, view);
    default:
      return null;
  }
}

function decodeMessages(bytes: Uint8Array, view: DataView): WireFrame | null {
  const messages: WireMessage[] = [];
  for (let at = 1; at < bytes.length;) {
    if (at + MESSAGE_HEADER > bytes.length || messages.length >= MAX_MESSAGES) return null;
    const end = at + MESSAGE_HEADER + view.getUint32(at + 12, true);
    const atMs = view.getFloat64(at + 4, true);
    if (end > bytes.length || !Number.isFinite(atMs)) return null;
    messages.push({ line: view.getUint32(at, true), atMs, bytes: bytes.slice(at + MESSAGE_HEADER, end) });
    at = end;
  }
  return { kind: 'messages', messages };
}

function decodeLines(bytes: Uint8Array, view: DataView): WireFrame | null {
  const lines: WirePeer[] = [];
  for (let at = 1; at < bytes.length;) {
    if (at + LINE_HEADER > bytes.length) return null;
    const end = at + LINE_HEADER + view.getUint8(at + 5);
    const key = String.fromCharCode(...bytes.subarray(at + LINE_HEADER, end));
    if (end > bytes.length || !isPeerKey(key)) return null;
    lines.push({ line: view.getUint32(at, true), open: view.getUint8(at + 4) === 1, key });
    at = end;
  }
  return { kind: 'lines', lines };
}

function sizeOf(frame: WireFrame): number {
  switch (frame.kind) {
    case 'messages':
      return 1 + frame.messages.reduce((sum, { bytes }) => sum + MESSAGE_HEADER + bytes.length, 0);
    case 'ask':
      return 9;
    case 'answer':
      return 17;
    case 'lines':
      return 1 + frame.lines.reduce((sum, { key }) => sum + LINE_HEADER + key.length, 0);
  }
}

function newFrame(size: number): { bytes: Uint8Array<ArrayBuffer>; view: DataView } {
  if (size > MAX_FRAME_BYTES) throw new RangeError(`Frame too large: ${size} bytes, at most ${MAX_FRAME_BYTES}.`);
  const bytes = new Uint8Array(size);
  return { bytes, view: new DataView(bytes.buffer) };
}
