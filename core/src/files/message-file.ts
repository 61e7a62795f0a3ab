import { TempoMap } from '../tempo/tempo-map';
import { decoded, utf8 } from '../midi/text-bytes';
import { readSmf, writeTracks, type MetaEvent } from './smf';
import { tempoPoints } from './tempo-file';

/** A message as it went in or out at a port. */
export interface CapturedMessage {
  /** Since the capture began, ms. */
  atMs: number;
  direction: 'in' | 'out';
  port: string;
  bytes: Uint8Array;
}

/** A text of messages cannot be read: what is wrong, and in which line, counted from 1. */
export class MessageTextError extends Error {
  override readonly name = 'MessageTextError';
  constructor(
    message: string,
    readonly line: number,
  ) {
    super(`Line ${line}: ${message}`);
  }
}

/** 25 000 ticks at 240 BPM: a tick is 10 µs. */
const TICKS_PER_BEAT = 25_000;
const TICKS_PER_MS = 100;
const FOUR_A_SECOND: MetaEvent = { tick: 0, type: 0x51, data: Uint8Array.of(0x03, 0xd0, 0x90) };
const TRACK_NAME = 0x03;

/**
 * Messages as a Standard MIDI File of format 1, a track for each port and direction, to 10 µs. What a file has no event for (clock,
 * start, quarter frames, song position) stands behind the escape F7, as RP-001 says.
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
 * The messages of any Standard MIDI File of format 0 or 1, in order of time. A track that is called "in ..." or "out ..." is that
 * direction at that port; any other comes in at a port of its name.
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
      // What was written to 10 µs is read as that.
      atMs: Math.round(atMs * 1e6) / 1e6,
      direction: direction as 'in' | 'out',
      port: port || name || `Track ${track + 1}`,
      bytes: sent,
    };
  });
}

const FIRST_LINE = '# metronomo messages 1';
const MOST_TEXT = 64_000_000;
const MOST_LINES = 1_000_000;
const LONGEST_LINE = 200_000;
const LONGEST_PORT = 200;
const LINE = /^(-?[0-9.e+-]+) (in|out) ("(?:[^"\\]|\\.)*") ([0-9A-F]{2}(?: [0-9A-F]{2})*)$/;

/** Messages as plain text, a line each: ms since the beginning, in or out, the port in quotes, the bytes in hexadecimal. */
export function writeMessageText(messages: readonly CapturedMessage[]): string {
  const lines = inTime(messages).map(
    ({ atMs, direction, port, bytes }) => `${atMs} ${direction} ${JSON.stringify(port)} ${hex(bytes)}`,
  );
  return [FIRST_LINE, ...lines, ''].join('\n');
}

/** @throws MessageTextError that names the line. Lines that begin with # say something to people, and empty lines nothing. */
export function readMessageText(text: string): CapturedMessage[] {
  if (text.length > MOST_TEXT) throw new MessageTextError('this file is too large: 64 MB at the most.', 1);
  const tooMany = lineAfter(text, MOST_LINES);
  if (tooMany) throw new MessageTextError('there are more than a million lines.', MOST_LINES);
  const messages: CapturedMessage[] = [];
  const ports = new Map<string, string>();
  let number = 0;
  for (const line of linesOf(text)) {
    number++;
    if (number === 1 && line !== FIRST_LINE)
      throw new MessageTextError(`“${FIRST_LINE}” was expected: this is no text of messages.`, 1);
    if (line === '' || line.startsWith('#')) continue;
    messages.push(readLine(line, number, ports));
  }
  if (number === 0) throw new MessageTextError('this file is empty.', 1);
  return inTime(messages);
}

function readLine(line: string, number: number, ports: Map<string, string>): CapturedMessage {
  const [, at = '', direction = '', quoted = '', bytes = ''] = (line.length <= LONGEST_LINE && LINE.exec(line)) || [];
  if (!bytes)
    throw new MessageTextError(
      `a time in ms, in or out, a port in quotes and bytes in hexadecimal were expected, as in: 20.833 out "Box" F8`,
      number,
    );
  const atMs = Number(at);
  if (!Number.isFinite(atMs) || atMs < 0) throw new MessageTextError(`“${at.slice(0, 40)}” is no time in ms.`, number);
  const port = ports.get(quoted) ?? unquoted(quoted, number);
  ports.set(quoted, port);
  return { atMs, direction: direction as 'in' | 'out', port, bytes: fromHex(bytes) };
}

function unquoted(quoted: string, number: number): string {
  try {
    return String(JSON.parse(quoted)).slice(0, LONGEST_PORT);
  } catch {
    throw new MessageTextError('the name of the port cannot be read.', number);
  }
}

/** Whether there is something after so many lines: told before any of them is read. */
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
