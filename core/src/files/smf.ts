/** A meta event of Standard MIDI Files 1.0 (RP-001). */
export interface MetaEvent {
  /** Ticks from the start. */
  tick: number;
  type: number;
  data: Uint8Array;
}

/** A MIDI message in a file. */
export interface FileMessage {
  tick: number;
  /** Numbered from 0. */
  track: number;
  /** The whole message with its status; SysEx with F0 and F7. */
  bytes: Uint8Array;
}

export interface MidiFile {
  ticksPerBeat: number;
  /** The meta events of all tracks, in time order. */
  meta: (MetaEvent & { track?: number })[];
}

export class MidiFileError extends Error {
  override readonly name = 'MidiFileError';
}

const MAX_BYTES = 64_000_000;
const MAX_EVENTS = 1_000_000;
const MAX_TRACKS = 4096;
const TEXT = 0x01;
const TRACK_NAME = 0x03;
const END_OF_TRACK = 0x2f;
const MAX_DELTA = 0x0fffffff;
/** Limit for one event, SysEx included. */
const MAX_EVENT_BYTES = 65_536;

/** A format 0 file with nothing but meta events, in time order. */
export function writeSmf({ ticksPerBeat, meta }: MidiFile): Uint8Array {
  const body: number[] = [];
  let at = 0;
  for (const { tick, type, data } of [...meta].sort((a, b) => a.tick - b.tick)) {
    body.push(...variableLength(tick - at), 0xff, type, ...variableLength(data.length), ...data);
    at = tick;
  }
  body.push(0, 0xff, END_OF_TRACK, 0);
  const head = [...text('MThd'), 0, 0, 0, 6, 0, 0, 0, 1, ticksPerBeat >> 8, ticksPerBeat & 0xff];
  return Uint8Array.from([...head, ...text('MTrk'), ...long(body.length), ...body]);
}

/** A format 1 file: each track with its name and messages. The first also has the meta events. */
export function writeTracks(
  ticksPerBeat: number,
  meta: readonly MetaEvent[],
  tracks: readonly NamedTrack[],
): Uint8Array {
  const chunks = tracks.map(({ name, messages }, i) => {
    const body: number[] = [0, 0xff, TRACK_NAME, ...variableLength(name.length), ...name];
    let at = 0;
    // At one time, tempo and time signature come before the notes.
    for (const event of i === 0 ? [...meta, ...messages].sort((a, b) => a.tick - b.tick) : messages) {
      const { tick } = event;
      // RP-001: a delta has at most 28 bits. An empty text event in between extends it.
      for (; tick - at > MAX_DELTA; at += MAX_DELTA) body.push(...variableLength(MAX_DELTA), 0xff, TEXT, 0);
      body.push(...variableLength(tick - at));
      if ('type' in event) body.push(0xff, event.type, ...variableLength(event.data.length), ...event.data);
      else pushEvent(body, event.bytes);
      at = tick;
    }
    body.push(0, 0xff, END_OF_TRACK, 0);
    return body;
  });
  const head = [...text('MThd'), 0, 0, 0, 6, 0, 1, ...short(chunks.length), ...short(ticksPerBeat)];
  const file = new Uint8Array(head.length + chunks.reduce((sum, body) => sum + 8 + body.length, 0));
  file.set(head);
  let at = head.length;
  for (const body of chunks) {
    file.set([...text('MTrk'), ...long(body.length)], at);
    file.set(body, at + 8);
    at += 8 + body.length;
  }
  return file;
}

export interface NamedTrack {
  name: Uint8Array;
  messages: readonly { tick: number; bytes: Uint8Array }[];
}

/** Channel messages and SysEx as they are; everything the format has no event for as an F7 escape. */
function pushEvent(body: number[], bytes: Uint8Array): void {
  const [status = 0] = bytes;
  const wanted = (status & 0xe0) === 0xc0 ? 2 : 3;
  if (status >= 0x80 && status < 0xf0 && bytes.length === wanted) body.push(...bytes);
  else if (status === 0xf0 && bytes.at(-1) === 0xf7) {
    body.push(0xf0, ...variableLength(bytes.length - 1));
    for (const byte of bytes.subarray(1)) body.push(byte);
  } else {
    body.push(0xf7, ...variableLength(bytes.length));
    for (const byte of bytes) body.push(byte);
  }
}

/** RP-001: seven bits per byte, most significant first, top bit set on all but the last. */
export function variableLength(value: number): number[] {
  if (!(Number.isInteger(value) && value >= 0 && value <= 0x0fffffff))
    throw new RangeError(`A variable-length quantity must be 0 to 268,435,455, not ${value}.`);
  const bytes = [value & 0x7f];
  for (let rest = value >> 7; rest > 0; rest >>= 7) bytes.unshift((rest & 0x7f) | 0x80);
  return bytes;
}

/**
 * The meta events of a Standard MIDI File of format 0 or 1. Hand-written parser: input is untrusted, so every length is
 * bounds-checked.
 * @throws MidiFileError that names the byte, counted from 0, and what was expected there.
 */
export function readSmf(bytes: Uint8Array): MidiFile & { messages: FileMessage[] } {
  if (bytes.length > MAX_BYTES) throw new MidiFileError(`This file is too large. The limit is 64 MB.`);
  const reader = new Reader(bytes);
  reader.expect('MThd');
  const headEnd = reader.chunkEnd();
  const format = reader.number(2);
  const tracks = reader.number(2);
  const division = reader.number(2);
  if (format > 1) reader.fail(`MIDI file format ${format} isn’t supported. Export as format 0 or 1`, 8);
  if (tracks > MAX_TRACKS) reader.fail(`${tracks} tracks; the limit is ${MAX_TRACKS}`, 10);
  if (division === 0 || division >= 0x8000)
    reader.fail('unsupported time division. Export with ticks per quarter note (PPQ)', 12);
  reader.goTo(headEnd);
  const found: Found = { meta: [], messages: [] };
  for (let track = 0; track < tracks; track++) {
    if (reader.done) reader.fail(`the file ends after ${track} of ${tracks} tracks`);
    readTrack(reader, track, found);
  }
  const inTime = (a: { tick: number }, b: { tick: number }) => a.tick - b.tick;
  return { ticksPerBeat: division, meta: found.meta.sort(inTime), messages: found.messages.sort(inTime) };
}

interface Found {
  meta: (MetaEvent & { track: number })[];
  messages: FileMessage[];
}

function readTrack(reader: Reader, track: number, { meta, messages }: Found): void {
  reader.skipUnknownChunks('MTrk');
  const end = reader.chunkEnd();
  let tick = 0;
  let running = 0;
  while (reader.at < end) {
    tick += reader.variableLength();
    let status = reader.number(1);
    if (status === 0xff) {
      const type = reader.number(1);
      const data = reader.take(reader.variableLength(), end);
      if (type === END_OF_TRACK) break;
      if (meta.length >= MAX_EVENTS) reader.fail('more than a million events, which is the limit');
      meta.push({ tick, track, type, data });
      continue;
    }
    if (messages.length >= MAX_EVENTS) reader.fail('more than a million events, which is the limit');
    if (status === 0xf0 || status === 0xf7) {
      const data = reader.take(reader.variableLength(), end);
      if (data.length > MAX_EVENT_BYTES)
        reader.fail('a SysEx message is longer than 64 KB, which is the limit', reader.at - data.length);
      messages.push({ tick, track, bytes: status === 0xf0 ? Uint8Array.of(0xf0, ...data) : data });
      continue;
    }
    if (status < 0x80) {
      if (running === 0) reader.fail('data byte without a status byte before it', reader.at - 1);
      status = running;
      reader.goTo(reader.at - 1);
    }
    if (status >= 0xf0) reader.fail(`0x${status.toString(16)} isn’t a valid MIDI file event`, reader.at - 1);
    running = status;
    messages.push({ tick, track, bytes: Uint8Array.of(status, ...reader.take((status & 0xe0) === 0xc0 ? 1 : 2, end)) });
  }
  reader.goTo(end);
}

/** A cursor over the bytes; reading past the end throws with the name of what was expected. */
class Reader {
  at = 0;
  readonly #bytes: Uint8Array;

  constructor(bytes: Uint8Array) {
    this.#bytes = bytes;
  }

  get done(): boolean {
    return this.at >= this.#bytes.length;
  }

  fail(what: string, at = this.at): never {
    throw new MidiFileError(`Byte ${at}: ${what}.`);
  }

  goTo(at: number): void {
    this.at = at;
  }

  number(length: number): number {
    let value = 0;
    for (const byte of this.take(length)) value = value * 256 + byte;
    return value;
  }

  take(length: number, end = this.#bytes.length): Uint8Array {
    if (this.at + length > Math.min(end, this.#bytes.length))
      this.fail(`expected ${length} more bytes, found ${Math.max(0, Math.min(end, this.#bytes.length) - this.at)}`);
    this.at += length;
    return this.#bytes.slice(this.at - length, this.at);
  }

  variableLength(): number {
    const from = this.at;
    let value = 0;
    for (let i = 0; i < 4; i++) {
      const byte = this.number(1);
      value = value * 128 + (byte & 0x7f);
      if (byte < 0x80) return value;
    }
    return this.fail('variable-length quantity longer than four bytes', from);
  }

  expect(name: string): void {
    const from = this.at;
    const found = String.fromCharCode(...this.take(4));
    if (found !== name) this.fail(`expected “${name}”. This isn’t a Standard MIDI File`, from);
  }

  /** Reads a chunk's length and returns its end. */
  chunkEnd(): number {
    const from = this.at;
    const length = this.number(4);
    if (this.at + length > this.#bytes.length)
      this.fail(`chunk length ${length} exceeds the ${this.#bytes.length - this.at} bytes left in the file`, from);
    return this.at + length;
  }

  /** RP-001: chunks of unknown types are skipped. */
  skipUnknownChunks(name: string): void {
    for (;;) {
      const from = this.at;
      if (String.fromCharCode(...this.take(4)) === name) return;
      const end = this.chunkEnd();
      if (end >= this.#bytes.length) this.fail(`expected “${name}”`, from);
      this.goTo(end);
    }
  }
}

function text(name: string): number[] {
  return [...name].map((letter) => letter.charCodeAt(0));
}

function long(value: number): number[] {
  return [24, 16, 8, 0].map((shift) => (value >>> shift) & 0xff);
}

function short(value: number): number[] {
  return [(value >>> 8) & 0xff, value & 0xff];
}
