import { isChannelStatus, lengthAfter } from '../midi/command-lengths';

/** One MIDI command with its own time: timestamp units after the packet's timestamp. */
export interface StampedCommand {
  stamp: number;
  /** With its status byte. For a segmented SysEx, the segment, framed as in RFC 6295. */
  bytes: Uint8Array;
}

export interface RtpMidiPacket {
  sequence: number;
  /** Timestamp of the packet, 32 bits. */
  stamp: number;
  ssrc: number;
  commands: StampedCommand[];
  /** The recovery journal, as in the packet. */
  journal: Uint8Array | null;
}

const RTP_HEADER_BYTES = 12;
const VERSION = 2;
/** From the range for dynamic types (RFC 3551). */
const PAYLOAD_TYPE = 97;
const FIRST_DYNAMIC_TYPE = 96;
/** Limit of a four-bit length; longer lists use twelve bits. */
const SHORT_LENGTH = 15;
export const MAX_LIST_BYTES = 4095;
const MAX_DELTA = 2 ** 28 - 1;
const MAX_COMMANDS = 4096;

/**
 * An RTP packet with a MIDI payload (RFC 3550, 5.1; RFC 6295, 2 and 3). Commands are in time order, the first at the
 * packet's timestamp or later; running status is used where possible.
 * @throws RangeError if the commands don't fit into one packet.
 */
export function encodeRtpMidi({ sequence, stamp, ssrc, commands, journal }: RtpMidiPacket): Uint8Array {
  const list = encodeList(commands);
  if (list.length > MAX_LIST_BYTES)
    throw new RangeError(
      `MIDI command list too large for one packet: ${list.length} bytes, at most ${MAX_LIST_BYTES}.`,
    );
  const long = list.length > SHORT_LENGTH;
  const bytes = new Uint8Array(RTP_HEADER_BYTES + (long ? 2 : 1) + list.length + (journal?.length ?? 0));
  const view = new DataView(bytes.buffer);
  const marker = list.length > 0 ? 0x80 : 0;
  view.setUint8(0, VERSION << 6);
  view.setUint8(1, marker | PAYLOAD_TYPE);
  view.setUint16(2, sequence);
  view.setUint32(4, stamp);
  view.setUint32(8, ssrc);
  const flags = (long ? 0x80 : 0) | (journal ? 0x40 : 0) | (startsLater(commands) ? 0x20 : 0);
  let at = RTP_HEADER_BYTES;
  if (long) {
    view.setUint8(at++, flags | (list.length >> 8));
    view.setUint8(at++, list.length & 0xff);
  } else view.setUint8(at++, flags | list.length);
  bytes.set(list, at);
  if (journal) bytes.set(journal, at + list.length);
  return bytes;
}

/** Null unless the whole packet parses; partial packets are discarded. */
export function decodeRtpMidi(datagram: Uint8Array): RtpMidiPacket | null {
  const payload = rtpPayload(datagram);
  if (!payload || payload.length === 0) return null;
  const flags = payload[0] ?? 0;
  const long = (flags & 0x80) !== 0;
  const start = long ? 2 : 1;
  const length = long ? ((flags & 0x0f) << 8) | (payload[1] ?? 0) : flags & 0x0f;
  if (payload.length < start + length) return null;
  const commands = decodeList(payload.subarray(start, start + length), (flags & 0x20) !== 0);
  if (!commands) return null;
  const view = new DataView(datagram.buffer, datagram.byteOffset, datagram.byteLength);
  return {
    sequence: view.getUint16(2),
    stamp: view.getUint32(4),
    ssrc: view.getUint32(8),
    commands,
    journal: flags & 0x40 ? payload.subarray(start + length) : null,
  };
}

/** The payload after header, contributor list and extension, without padding. */
function rtpPayload(datagram: Uint8Array): Uint8Array | null {
  const [first = 0, second = 0] = datagram;
  if (datagram.length < RTP_HEADER_BYTES || first >> 6 !== VERSION) return null;
  if ((second & 0x7f) < FIRST_DYNAMIC_TYPE) return null;
  let start = RTP_HEADER_BYTES + 4 * (first & 0x0f);
  if (first & 0x10) {
    if (datagram.length < start + 4) return null;
    start += 4 + 4 * (((datagram[start + 2] ?? 0) << 8) | (datagram[start + 3] ?? 0));
  }
  const padding = first & 0x20 ? (datagram.at(-1) ?? 0) : 0;
  const end = datagram.length - padding;
  if (first & 0x20 && padding === 0) return null;
  return start > end ? null : datagram.subarray(start, end);
}

function startsLater(commands: readonly StampedCommand[]): boolean {
  return (commands[0]?.stamp ?? 0) > 0;
}

function encodeList(commands: readonly StampedCommand[]): Uint8Array {
  const list: number[] = [];
  let running = 0;
  let before = 0;
  commands.forEach(({ stamp, bytes }, i) => {
    if (i > 0 || startsLater(commands)) list.push(...encodeDelta(stamp - before));
    before = stamp;
    const status = bytes[0] ?? 0;
    list.push(...(isChannelStatus(status) && status === running ? bytes.subarray(1) : bytes));
    // Real-time commands keep a running status; other system commands end it.
    if (status < 0xf8) running = isChannelStatus(status) ? status : 0;
  });
  return Uint8Array.from(list);
}

/** One to four bytes of seven bits, all but the last marked (RFC 6295, 3.1). */
function encodeDelta(delta: number): number[] {
  let rest = Math.min(MAX_DELTA, Math.max(0, Math.round(delta)));
  const octets = [rest & 0x7f];
  while ((rest >>= 7) > 0) octets.unshift(0x80 | (rest & 0x7f));
  return octets;
}

function decodeList(list: Uint8Array, firstHasDelta: boolean): StampedCommand[] | null {
  const commands: StampedCommand[] = [];
  let at = 0;
  let stamp = 0;
  let running = 0;
  while (at < list.length) {
    if (commands.length > 0 || firstHasDelta || at > 0) {
      let octet = 0;
      let delta = 0;
      let count = 0;
      do {
        if (at >= list.length || ++count > 4) return null;
        octet = list[at++] ?? 0;
        delta = (delta << 7) | (octet & 0x7f);
      } while (octet & 0x80);
      stamp += delta;
      // The last command may be empty: its delta only says that time has passed.
      if (at === list.length) return commands;
    }
    const first = list[at] ?? 0;
    const status = first >= 0x80 ? first : running;
    if (status === 0) return null;
    const data = first >= 0x80 ? at + 1 : at;
    const end = commandEnd(list, status, data);
    if (end === null || commands.length >= MAX_COMMANDS) return null;
    commands.push({ stamp, bytes: Uint8Array.of(status, ...list.subarray(data, end)) });
    if (status < 0xf8) running = isChannelStatus(status) ? status : 0;
    at = end;
  }
  return commands;
}

/** End of a command whose data begins at `data`; null if it is truncated or interrupted by a status byte. */
function commandEnd(list: Uint8Array, status: number, data: number): number | null {
  if (status === 0xf0 || status === 0xf7) {
    // A SysEx or a segment of one: up to F7 (end), F0 (continues) or F4 (cancelled).
    for (let at = data; at < list.length; at++) {
      const octet = list[at] ?? 0;
      if (octet < 0x80) continue;
      return octet === 0xf7 || octet === 0xf0 || octet === 0xf4 ? at + 1 : null;
    }
    return null;
  }
  const end = data + lengthAfter(status);
  if (end > list.length) return null;
  for (let at = data; at < end; at++) if ((list[at] ?? 0) >= 0x80) return null;
  return end;
}
