import { decodeWav, readWavHead, WavError } from '@metronomo/core';
import type { Database } from '../store/database';
import type { SoundChunk, Take } from '../store/records';
import { FileError } from './text-file';

const CHUNK_SECONDS = 1;
const LOOK_AHEAD_BYTES = 65_536;
/** Notes and pictures before the audio may be this long. */
const LONGEST_HEAD_BYTES = 16_000_000;

/** Imports a WAV file as a stream, because it may be larger than memory. */
export class SoundSink {
  #head: ReturnType<typeof readWavHead> | null = null;
  #pending: Uint8Array = new Uint8Array();
  readonly #name: string;
  readonly #take: Take;
  readonly #into: Database;
  readonly #tell: (nextIndex: number) => void;
  #index: number;
  #needed = LOOK_AHEAD_BYTES;

  constructor(name: string, take: Take, into: Database, index: number, tell: (nextIndex: number) => void) {
    this.#name = name;
    this.#take = take;
    this.#into = into;
    this.#index = index;
    this.#tell = tell;
  }

  async write(bytes: Uint8Array): Promise<void> {
    this.#pending = joined(this.#pending, bytes);
    if (!this.#head) {
      if (this.#pending.length < this.#needed) return;
      if (!this.#readHead(this.#pending.length >= LONGEST_HEAD_BYTES)) {
        this.#needed *= 2;
        return;
      }
    }
    await this.#keep(false);
  }

  async close(): Promise<void> {
    if (!this.#head) this.#readHead(true);
    await this.#keep(true);
  }

  /** False if the audio begins further on, unless that was `all`. */
  #readHead(all: boolean): boolean {
    const head = headOf(this.#pending, this.#name, all);
    if (!head) return false;
    this.#head = head;
    const { format, dataAt } = this.#head;
    if (format.sampleRate !== this.#take.sampleRate)
      throw new FileError(
        `${this.#name} is at ${format.sampleRate} Hz, but its take.json says ${this.#take.sampleRate} Hz.`,
      );
    this.#pending = this.#pending.slice(dataAt);
    return true;
  }

  async #keep(all: boolean): Promise<void> {
    if (!this.#head) return;
    const { format } = this.#head;
    const frameBytes = (format.bits / 8) * format.channels;
    const chunkBytes = frameBytes * format.sampleRate * CHUNK_SECONDS;
    while (this.#pending.length >= chunkBytes || (all && this.#pending.length >= frameBytes)) {
      const part = this.#pending.subarray(0, Math.min(chunkBytes, this.#pending.length));
      const chunk: SoundChunk = { takeId: this.#take.id, index: this.#index++, channels: decodeWav(part, format) };
      await this.#into.sound.add(chunk);
      this.#pending = this.#pending.slice(part.length);
    }
    this.#tell(this.#index);
  }
}

function joined(a: Uint8Array, b: Uint8Array): Uint8Array {
  if (a.length === 0) return b;
  const both = new Uint8Array(a.length + b.length);
  both.set(a);
  both.set(b, a.length);
  return both;
}

/** Null if the audio begins behind these bytes, unless they are `all`. */
function headOf(bytes: Uint8Array, name: string, all: boolean): ReturnType<typeof readWavHead> | null {
  try {
    return readWavHead(bytes);
  } catch (error) {
    if (!(error instanceof WavError)) throw error;
    // Reported at the end of what is there: no data chunk so far.
    if (!all && error.byte >= bytes.length) return null;
    throw new FileError(`${name}: ${error.message}`);
  }
}
