import type { TimedBytes } from './protocol';

/** Replays captured messages at their original intervals. */
export class Playback {
  readonly portId: string;
  readonly #messages: readonly TimedBytes[];
  readonly #zeroMs: number;
  #next = 0;

  /** `messages`: in time order, in ms from the start of the capture; playback starts at `zeroMs`. */
  constructor(portId: string, messages: readonly TimedBytes[], zeroMs: number) {
    this.portId = portId;
    this.#messages = messages;
    this.#zeroMs = zeroMs;
  }

  /** Messages that became due since the last call, with their due times. */
  due(nowMs: number): TimedBytes[] {
    const from = this.#next;
    while (this.#next < this.#messages.length && this.#dueAt(this.#next) <= nowMs) this.#next++;
    return this.#messages.slice(from, this.#next).map(({ bytes, atMs }) => ({ bytes, atMs: this.#zeroMs + atMs }));
  }

  get left(): number {
    return this.#messages.length - this.#next;
  }

  #dueAt(index: number): number {
    return this.#zeroMs + (this.#messages[index]?.atMs ?? 0);
  }
}
