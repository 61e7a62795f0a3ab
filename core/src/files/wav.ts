const { floor, max, min, round } = Math;

/** A WAV file can't be read: what is wrong, and at which byte. */
export class WavError extends Error {
  override readonly name = 'WavError';
  constructor(
    message: string,
    readonly byte: number,
  ) {
    super(`${message} (byte ${byte}).`);
  }
}

const PCM = 1;
const FLOAT = 3;
const EXTENSIBLE = 0xfffe;
const MAX_CHANNELS = 64;
/** Length placeholder left by streaming writers, and in RF64 for lengths that need more than 32 bits. */
const LENGTH_UNKNOWN = 0xffffffff;

/** Sample format of a file. */
export interface WavFormat {
  readonly encoding: number;
  readonly channels: number;
  readonly sampleRate: number;
  readonly bits: number;
}

/** PCM of this many bits, or 32-bit float. */
export type WavEncoding = 16 | 24 | 'float32';

/** Position and format of the audio in a file. */
export interface WavHead {
  format: WavFormat;
  /** Offset of the first sample. */
  dataAt: number;
  /** The declared size; null if the writer didn't know it. */
  dataBytes: number | null;
}

/**
 * Reads RIFF/WAVE: PCM of 16, 24 or 32 bits or 32-bit float, plain or extensible. One Float32Array per channel, -1..1.
 * `encoding` is lossless for writing it again.
 * @throws WavError that names the byte and what was expected there.
 */
export function readWav(bytes: Uint8Array): {
  sampleRate: number;
  channels: Float32Array[];
  encoding: WavEncoding;
} {
  const { format, dataAt, dataBytes } = readWavHead(bytes);
  const there = bytes.length - dataAt;
  if (dataBytes !== null && dataBytes > there)
    throw new WavError(`The audio is truncated: ${there} of ${dataBytes} bytes found`, dataAt);
  const channels = decodeWav(bytes.subarray(dataAt, dataAt + min(dataBytes ?? there, there)), format);
  const { sampleRate, encoding, bits } = format;
  return { sampleRate, channels, encoding: encoding === PCM && (bits === 16 || bits === 24) ? bits : 'float32' };
}

/** Signs of RIFF/WAVE, and of its forms with 64-bit lengths (EBU Tech 3306, ITU-R BS.2088). */
const SIGNS: readonly string[] = ['RIFF', 'RF64', 'BW64'];

/** Whether a file starts as a WAV file. */
export function isWav(bytes: Uint8Array): boolean {
  return bytes.length >= 4 && SIGNS.includes(String.fromCharCode(...bytes.subarray(0, 4)));
}

/**
 * The header; the audio need not be complete yet.
 * @throws WavError as `readWav`.
 */
export function readWavHead(bytes: Uint8Array): WavHead {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 12 || !isWav(bytes) || tag(view, 8) !== 'WAVE')
    throw new WavError('This isn’t a WAV file: RIFF/WAVE header missing', 0);
  let format: WavFormat | null = null;
  let longBytes: number | null = null;
  for (let at = 12; at + 8 <= bytes.length;) {
    const name = tag(view, at);
    const length = view.getUint32(at + 4, true);
    const body = at + 8;
    if (name === 'data') {
      if (!format) throw new WavError('Damaged WAV file: data chunk before format chunk', at);
      return { format, dataAt: body, dataBytes: length === LENGTH_UNKNOWN ? longBytes : length };
    }
    // ds64: 64-bit lengths of the file, then of the audio.
    if (name === 'ds64' && body + 16 <= bytes.length) longBytes = Number(view.getBigUint64(body + 8, true));
    if (name === 'fmt ') format = readFormat(view, body, length);
    at = body + length + (length % 2);
  }
  throw new WavError('This WAV file contains no audio: no data chunk', bytes.length);
}

function readFormat(view: DataView, at: number, length: number): WavFormat {
  const truncated = at + length > view.byteLength;
  if (length < 16 || truncated)
    throw new WavError('Damaged WAV file: format chunk truncated', truncated ? view.byteLength : at);
  const plain = view.getUint16(at, true);
  const encoding = plain === EXTENSIBLE && length >= 26 ? view.getUint16(at + 24, true) : plain;
  const channels = view.getUint16(at + 2, true);
  const sampleRate = view.getUint32(at + 4, true);
  const bits = view.getUint16(at + 14, true);
  const known = (encoding === PCM && [16, 24, 32].includes(bits)) || (encoding === FLOAT && bits === 32);
  if (!known)
    throw new WavError(
      `Unsupported WAV format ${encoding}, ${bits}-bit. Export as 16-, 24- or 32-bit PCM, or 32-bit float`,
      at,
    );
  if (channels < 1 || channels > MAX_CHANNELS)
    throw new WavError(`This file has ${channels} channels; 1 to ${MAX_CHANNELS} are supported`, at + 2);
  if (sampleRate < 8000 || sampleRate > 384_000)
    throw new WavError(`Sample rate ${sampleRate} Hz isn’t supported. Use 8,000 to 384,000 Hz`, at + 4);
  return { encoding, channels, sampleRate, bits };
}

/** Samples of as many whole frames as there are, one array per channel. */
export function decodeWav(bytes: Uint8Array, format: WavFormat): Float32Array[] {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const width = format.bits / 8;
  const frameBytes = width * format.channels;
  const frames = floor(bytes.length / frameBytes);
  const read = sampleReader(view, format);
  return Array.from({ length: format.channels }, (_, channel) => {
    const samples = new Float32Array(frames);
    for (let i = 0, from = channel * width; i < frames; i++, from += frameBytes) samples[i] = read(from);
    return samples;
  });
}

function sampleReader(view: DataView, { encoding, bits }: WavFormat): (at: number) => number {
  if (encoding === FLOAT)
    return (at) => {
      const sample = view.getFloat32(at, true);
      return Number.isFinite(sample) ? sample : 0;
    };
  if (bits === 16) return (at) => view.getInt16(at, true) / 2 ** 15;
  if (bits === 32) return (at) => view.getInt32(at, true) / 2 ** 31;
  return (at) => ((view.getInt8(at + 2) << 16) | view.getUint16(at, true)) / 2 ** 23;
}

/**
 * A WAV file of the given channels, samples -1..1 (louder ones are clipped). 24-bit PCM by default.
 * @throws RangeError if there is no channel, or they differ in length.
 */
export function writeWav(channels: Float32Array[], sampleRate: number, bits: WavEncoding = 24): Uint8Array {
  const frames = channels[0]?.length ?? 0;
  if (channels.length < 1 || channels.length > MAX_CHANNELS || channels.some((channel) => channel.length !== frames))
    throw new RangeError(`A WAV file needs 1 to ${MAX_CHANNELS} channels of equal length.`);
  const head = wavHead(frames, channels.length, sampleRate, bits);
  const samples = encodeWav(channels, bits);
  const bytes = new Uint8Array(head.length + samples.length + (samples.length % 2));
  bytes.set(head);
  bytes.set(samples, head.length);
  return bytes;
}

/** The header for this many frames. */
export function wavHead(frames: number, channels: number, sampleRate: number, bits: WavEncoding): Uint8Array {
  const width = bits === 'float32' ? 4 : bits / 8;
  const dataBytes = frames * channels * width;
  const bytes = new Uint8Array(44);
  const view = new DataView(bytes.buffer);
  writeTag(view, 0, 'RIFF');
  view.setUint32(4, 36 + dataBytes + (dataBytes % 2), true);
  writeTag(view, 8, 'WAVEfmt ');
  view.setUint32(16, 16, true);
  view.setUint16(20, bits === 'float32' ? FLOAT : PCM, true);
  view.setUint16(22, channels, true);
  view.setUint32(24, sampleRate, true);
  view.setUint32(28, sampleRate * channels * width, true);
  view.setUint16(32, channels * width, true);
  view.setUint16(34, width * 8, true);
  writeTag(view, 36, 'data');
  view.setUint32(40, dataBytes, true);
  return bytes;
}

/** Interleaved samples, as stored in a file. */
export function encodeWav(channels: readonly Float32Array[], bits: WavEncoding): Uint8Array {
  const frames = channels[0]?.length ?? 0;
  const width = bits === 'float32' ? 4 : bits / 8;
  const bytes = new Uint8Array(frames * channels.length * width);
  const write = sampleWriter(new DataView(bytes.buffer), bits);
  let at = 0;
  for (let i = 0; i < frames; i++)
    for (const channel of channels) {
      write(at, channel[i] as number);
      at += width;
    }
  return bytes;
}

function sampleWriter(view: DataView, bits: WavEncoding): (at: number, sample: number) => void {
  if (bits === 'float32') return (at, sample) => view.setFloat32(at, sample, true);
  const scale = 2 ** (bits - 1);
  const whole = (sample: number) => min(scale - 1, max(-scale, round(sample * scale)));
  if (bits === 16) return (at, sample) => view.setInt16(at, whole(sample), true);
  return (at, sample) => {
    const value = whole(sample);
    view.setUint16(at, value & 0xffff, true);
    view.setInt8(at + 2, value >> 16);
  };
}

function tag(view: DataView, at: number): string {
  return String.fromCharCode(view.getUint8(at), view.getUint8(at + 1), view.getUint8(at + 2), view.getUint8(at + 3));
}

function writeTag(view: DataView, at: number, text: string): void {
  for (let i = 0; i < text.length; i++) view.setUint8(at + i, text.charCodeAt(i));
}
