import { decoded, plainText, utf8 } from '../midi/text-bytes';

/**
 * The datagrams that set up, maintain and end a network MIDI session, beside the RTP packets with the music. The
 * protocol is not an RFC; it is widely implemented and dissected by open tools. All numbers are big-endian.
 */
export type SessionPacket =
  | Introduction
  | { kind: 'refused' | 'end'; token: number; ssrc: number }
  | { kind: 'clock'; ssrc: number; count: 0 | 1 | 2; times: readonly [number, number, number] }
  | { kind: 'feedback'; ssrc: number; sequence: number };

/** Sent by either end on each of the two ports. */
export interface Introduction {
  kind: 'invitation' | 'accepted';
  token: number;
  ssrc: number;
  name: string;
}

/** Session timestamps count 100 us each. */
export const STAMPS_PER_MS = 10;

const SIGNATURE = 0xffff;
const VERSION = 2;
const COMMANDS = {
  invitation: 0x494e, // IN
  accepted: 0x4f4b, // OK
  refused: 0x4e4f, // NO
  end: 0x4259, // BY
  clock: 0x434b, // CK
  feedback: 0x5253, // RS
} as const;
const KINDS = new Map<number, keyof typeof COMMANDS>(
  Object.entries(COMMANDS).map(([kind, code]) => [code, kind as keyof typeof COMMANDS]),
);

const TWO_32 = 2 ** 32;

export function encodeSessionPacket(packet: SessionPacket): Uint8Array {
  switch (packet.kind) {
    case 'invitation':
    case 'accepted': {
      const name = utf8(plainName(packet.name));
      const { bytes, view } = newPacket(packet.kind, 16 + name.length + 1);
      writePartners(view, packet);
      bytes.set(name, 16);
      return bytes;
    }
    case 'refused':
    case 'end': {
      const { bytes, view } = newPacket(packet.kind, 16);
      writePartners(view, packet);
      return bytes;
    }
    case 'clock': {
      const { bytes, view } = newPacket('clock', 36);
      view.setUint32(4, packet.ssrc);
      view.setUint8(8, packet.count);
      packet.times.forEach((time, i) => writeTime(view, 12 + 8 * i, time));
      return bytes;
    }
    case 'feedback': {
      const { bytes, view } = newPacket('feedback', 12);
      view.setUint32(4, packet.ssrc);
      view.setUint16(8, packet.sequence);
      return bytes;
    }
  }
}

/** Null for anything incomplete or of another protocol. A peer's name is reduced to plain characters. */
export function decodeSessionPacket(bytes: Uint8Array): SessionPacket | null {
  if (!isSessionPacket(bytes) || bytes.length < 12) return null;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const kind = KINDS.get(view.getUint16(2));
  switch (kind) {
    case 'invitation':
    case 'accepted':
    case 'refused':
    case 'end': {
      if (bytes.length < 16 || view.getUint32(4) !== VERSION) return null;
      const partners = { token: view.getUint32(8), ssrc: view.getUint32(12) };
      if (kind === 'refused' || kind === 'end') return { kind, ...partners };
      return { kind, ...partners, name: readName(bytes.subarray(16)) };
    }
    case 'clock': {
      const count = view.getUint8(8);
      if (bytes.length < 36 || (count !== 0 && count !== 1 && count !== 2)) return null;
      return {
        kind,
        ssrc: view.getUint32(4),
        count,
        times: [readTime(view, 12), readTime(view, 20), readTime(view, 28)],
      };
    }
    case 'feedback':
      return { kind, ssrc: view.getUint32(4), sequence: view.getUint16(8) };
    case undefined:
      return null;
  }
}

export function isSessionPacket(bytes: Uint8Array): boolean {
  return bytes[0] === 0xff && bytes[1] === 0xff;
}

/** A name that is safe to show; never empty. */
export function plainName(text: string): string {
  return plainText(text).trim() || 'unnamed';
}

function newPacket(kind: keyof typeof COMMANDS, length: number): { bytes: Uint8Array; view: DataView } {
  const bytes = new Uint8Array(length);
  const view = new DataView(bytes.buffer);
  view.setUint16(0, SIGNATURE);
  view.setUint16(2, COMMANDS[kind]);
  return { bytes, view };
}

function writePartners(view: DataView, { token, ssrc }: { token: number; ssrc: number }): void {
  view.setUint32(4, VERSION);
  view.setUint32(8, token);
  view.setUint32(12, ssrc);
}

function writeTime(view: DataView, at: number, time: number): void {
  view.setUint32(at, Math.floor(time / TWO_32));
  view.setUint32(at + 4, time % TWO_32);
}

function readTime(view: DataView, at: number): number {
  return view.getUint32(at) * TWO_32 + view.getUint32(at + 4);
}

function readName(bytes: Uint8Array): string {
  const end = bytes.indexOf(0);
  return plainName(decoded(bytes.subarray(0, end < 0 ? bytes.length : end)));
}
