import { encodeMidi, MidiParser, type GridPosition, type MidiMessage } from '@metronomo/core';
import type { PlayedNote } from './protocol';

const MAX_NOTES = 100_000;
const MAX_PORTS = 256;

/** A key that is down. */
interface Held {
  portId: string;
  channel: number;
  note: number;
  /** How often it was struck. */
  times: number;
}

/** Keeps what is played on the inputs, by where the song is. Notes still held at a stop end there. */
export class NoteRecorder {
  #notes: PlayedNote[] | null = null;
  readonly #parsers = new Map<string, MidiParser>();
  readonly #held = new Map<string, Held>();
  /** Where the song was last seen to roll. */
  #beat = -Infinity;

  /** Starts anew, or stops; returns what was played before. */
  record(on: boolean): PlayedNote[] {
    this.#letGo();
    const before = this.#notes ?? [];
    this.#notes = on ? [] : null;
    this.#parsers.clear();
    this.#beat = -Infinity;
    return before;
  }

  /** Call often with the current position: notices a stop or a jump back. */
  follow(grid: GridPosition): void {
    if (!this.#notes) return;
    const rolling = rolls(grid);
    if (!rolling || grid.beat < this.#beat) this.#letGo();
    if (rolling) this.#beat = grid.beat;
  }

  /** `grid`: where the song is at that time. */
  receive(portId: string, bytes: Uint8Array, atMs: number, grid: GridPosition): void {
    if (!this.#notes) return;
    const parser = this.#parsers.get(portId) ?? new MidiParser();
    if (this.#parsers.size < MAX_PORTS) this.#parsers.set(portId, parser);
    for (const { message } of parser.push(bytes, atMs)) if (rolls(grid)) this.#keep(portId, message, grid.beat);
  }

  #keep(portId: string, message: MidiMessage, beat: number): void {
    if (!this.#notes || !('channel' in message)) return;
    const isNote = message.kind === 'noteOn' || message.kind === 'noteOff';
    // A note-on with velocity 0 is a note-off (MIDI 1.0 detailed specification, from memory).
    const strikes = message.kind === 'noteOn' && message.velocity > 0;
    const letsGo = isNote && !strikes && this.#release(portId, message);
    if (this.#notes.length >= MAX_NOTES && !letsGo) return;
    if (strikes) this.#strike(portId, message);
    this.#notes.push({ portId, beat, bytes: encodeMidi(message) });
  }

  #strike(portId: string, { channel, note }: { channel: number; note: number }): void {
    const key = `${portId} ${channel} ${note}`;
    const times = (this.#held.get(key)?.times ?? 0) + 1;
    this.#held.set(key, { portId, channel, note, times });
  }

  /** False if it isn't down. */
  #release(portId: string, { channel, note }: { channel: number; note: number }): boolean {
    const key = `${portId} ${channel} ${note}`;
    const held = this.#held.get(key);
    if (!held) return false;
    held.times--;
    if (held.times === 0) this.#held.delete(key);
    return true;
  }

  #letGo(): void {
    for (const { portId, channel, note, times } of this.#held.values()) {
      const bytes = encodeMidi({ kind: 'noteOff', channel, note, velocity: 64 });
      const beat = Math.max(this.#beat, this.#lastBeatOn(portId));
      for (let i = 0; i < times; i++) this.#notes?.push({ portId, beat, bytes });
    }
    this.#held.clear();
  }

  /** Never before what was played last on its port. */
  #lastBeatOn(portId: string): number {
    return this.#notes?.findLast((one) => one.portId === portId)?.beat ?? -Infinity;
  }
}

function rolls({ state }: GridPosition): boolean {
  return state === 'rolling' || state === 'countingIn';
}
