import { TempoMap } from '../tempo/tempo-map';
import { decoded, utf8 } from '../midi/text-bytes';
import { readSmf, writeTracks, type MetaEvent } from './smf';
import { tempoPoints } from './tempo-file';

/** A message that went in or out at a port. */
export interface CapturedMessage {
  /** Since the start of the capture, ms. */
  atMs: number;
  direction: 'in' | 'out';
  port: string;
  bytes: Uint8Array;
}

/** A captured-messages text can't be read. `line`: where, counted from 1; null if the file as a whole is refused. */
export class MessageTextError extends Error {
  override readonly name = 'MessageTextError';
  constructor(
    message: string,
    readonly line: number | null,
  ) {
    super(line === null ? `${message.charAt(0).toUpperCase()}${message.slice(1)}` : `Line ${line}: ${message}`);
  }
}

/** 25,000 ticks at 240 BPM: a tick is 10 µs. */
const TICKS_PER_BEAT = 25_000;
const TICKS_PER_MS = 100;
const FOUR_A_SECOND: MetaEvent = { tick: 0, type: 0x51, data: Uint8Array.of(0x03, 0xd0, 0x90) };
const TRACK_NAME = 0x03;

/**
 * Messages as a Standard MIDI File of format 1, one track per port and direction, to 10 µs. Messages the format has no
 * event for (clock, start, quarter frames, song position) are written as F7 escapes (RP-001).
 */
export function writeMessageFile(messages: readonly CapturedMessage[]): Uint8Array {
  const tracks = new Map<string, { tick: number; bytes: Uint8Array }[]>();
  for (const { atMs, direction, port, bytes } of inTime(messages)) {
    const name = `${direction} ${port}`;
    const track = tracks.get(name) ?? [];
    tracks.set(name, track);
    track.push({ tick: Math.max(0, Math.round(atMs * TICKS_PER_MS)), bytes });
  }
  const named = [...tracks].map(([name, track]) => ({ name: utf8(name), messages: track }));
  return writeTracks(TICKS_PER_BEAT, [FOUR_A_SECOND], named.length > 0 ? named : [{ name: utf8('in'), messages: [] }]);
}

/**
 * The messages of any Standard MIDI File of format 0 or 1, in time order. A track named "in ..." or "out ..." gives
 * direction and port; any other counts as input on a port of its name.
 * @throws MidiFileError that names the byte.
 */
export function readMessageFile(bytes: Uint8Array): CapturedMessage[] {
  const { ticksPerBeat, meta, messages } = readSmf(bytes);
  const map = new TempoMap(tempoPoints(meta, ticksPerBeat));
  const names = new Map<number, string>();
  for (const { track = 0, type, data } of meta)
    if (type === TRACK_NAME && !names.has(track)) names.set(track, decoded(data));
  return messages.map(({ tick, track, bytes: sent }) => {
    const name = names.get(track) ?? '';
    const [, direction = 'in', port = ''] = /^(in|out) (.*)$/.exec(name) ?? [];
    const atMs = map.msAt(tick / ticksPerBeat);
    return {
      // Undo the floating-point residue of the 10 µs grid.
      atMs: Math.round(atMs * 1e6) / 1e6,
      direction: direction as 'in' | 'out',
      port: port || name || `Track ${track + 1}`,
      bytes: sent,
    };
  });
}

const FIRST_LINE = '# metronomo messages 1';
const MAX_TEXT = 64_000_000;
const MAX_LINES = 1_000_000;
const LONGEST_LINE = 200_000;
const LONGEST_PORT = 200;
const LINE = /^(-?[0-9.e+-]+) (in|out) ("(?:[^"\\]|\\.)*") ([0-9A-F]{2}(?: [0-9A-F]{2})*)$/;

/** Messages as plain text, one per line: ms from the start, in or out, the port in quotes, the bytes in hex. */
export function writeMessageText(messages: readonly CapturedMessage[]): string {
  const lines = inTime(messages).map(
    ({ atMs, direction, port, bytes }) => `${atMs} ${direction} ${JSON.stringify(port)} ${hex(bytes)}`,
  );
  return [FIRST_LINE, ...lines, ''].join('\n');
}

/**
 * Lines starting with # are comments; blank lines are skipped.
 * @throws MessageTextError that names the line.
 */
export function readMessageText(text: string): CapturedMessage[] {
  if (text.length > MAX_TEXT) throw new MessageTextError('the file is too large. The limit is 64 MB.', null);
  const tooMany = lineAfter(text, MAX_LINES);
  if (tooMany) throw new MessageTextError('the file has more than a million lines, which is the limit.', null);
  const messages: CapturedMessage[] = [];
  const ports = new Map<string, string>();
  let number = 0;
  for (const line of linesOf(text)) {
    number++;
    if (number === 1 && line !== FIRST_LINE)
      throw new MessageTextError(`expected “${FIRST_LINE}”. This isn’t a captured-messages file.`, 1);
    if (line === '' || line.startsWith('#')) continue;
    messages.push(readLine(line, number, ports));
  }
  if (number === 0) throw new MessageTextError('the file is empty.', null);
  return inTime(messages);
}

function readLine(line: string, number: number, ports: Map<string, string>): CapturedMessage {
  const [, at = '', direction = '', quoted = '', bytes = ''] = (line.length <= LONGEST_LINE && LINE.exec(line)) || [];
  if (!bytes)
    throw new MessageTextError(
      `expected time in ms, in or out, quoted port and hex bytes, for example: 20.833 out "Box" F8`,
      number,
    );
  const atMs = Number(at);
  if (!Number.isFinite(atMs) || atMs < 0)
    throw new MessageTextError(`“${at.slice(0, 40)}” isn’t a time in ms.`, number);
  const port = ports.get(quoted) ?? unquoted(quoted, number);
  ports.set(quoted, port);
  return { atMs, direction: direction as 'in' | 'out', port, bytes: fromHex(bytes) };
}

function unquoted(quoted: string, number: number): string {
  try {
    return String(JSON.parse(quoted)).slice(0, LONGEST_PORT);
  } catch {
    throw new MessageTextError('the port name isn’t a valid quoted string.', number);
  }
}

/** Whether there is anything after that many lines, checked before any line is parsed. */
function lineAfter(text: string, lines: number): boolean {
  let at = -1;
  for (let i = 0; i < lines; i++) {
    at = text.indexOf('\n', at + 1);
    if (at < 0) return false;
  }
  return at + 1 < text.length;
}

function* linesOf(text: string): Generator<string> {
  for (let from = 0; from < text.length;) {
    const found = text.indexOf('\n', from);
    const end = found < 0 ? text.length : found;
    yield text.slice(from, text[end - 1] === '\r' ? end - 1 : end);
    from = end + 1;
  }
}

function inTime(messages: readonly CapturedMessage[]): CapturedMessage[] {
  return [...messages].sort((a, b) => a.atMs - b.atMs);
}

const HEX = Array.from({ length: 256 }, (_, byte) => byte.toString(16).toUpperCase().padStart(2, '0'));

function hex(bytes: Uint8Array): string {
  return Array.from(bytes, (byte) => HEX[byte]).join(' ');
}

function fromHex(text: string): Uint8Array {
  return Uint8Array.from(text.split(' '), (pair) => parseInt(pair, 16));
}
