import { encodeMidi, MidiParser, type GridPosition } from '@metronomo/core';
import type { PlayedNote } from './protocol';

const MAX_NOTES = 100_000;
const MAX_PORTS = 256;

/** Keeps what is played on the inputs, by where the song is. */
export class NoteRecorder {
  #notes: PlayedNote[] | null = null;
  readonly #parsers = new Map<string, MidiParser>();

  /** Starts anew, or stops; returns what was played before. */
  record(on: boolean): PlayedNote[] {
    const before = this.#notes ?? [];
    this.#notes = on ? [] : null;
    this.#parsers.clear();
    return before;
  }

  /** `grid`: where the song is at that time. */
  receive(portId: string, bytes: Uint8Array, atMs: number, { beat, state }: GridPosition): void {
    if (!this.#notes || (state !== 'rolling' && state !== 'countingIn')) return;
    const parser = this.#parsers.get(portId) ?? new MidiParser();
    if (this.#parsers.size < MAX_PORTS) this.#parsers.set(portId, parser);
    for (const { message } of parser.push(bytes, atMs))
      if ('channel' in message && this.#notes.length < MAX_NOTES)
        this.#notes.push({ portId, beat, bytes: encodeMidi(message) });
  }
}
