import type { TimedBytes } from './protocol';

/** Messages that were captured once, due again at the same distances from each other. */
export class Playback {
  readonly portId: string;
  readonly #messages: readonly TimedBytes[];
  readonly #zeroMs: number;
  #next = 0;

  /** `messages`: in order of time, ms since the first of them could be; the beginning is at `zeroMs`. */
  constructor(portId: string, messages: readonly TimedBytes[], zeroMs: number) {
    this.portId = portId;
    this.#messages = messages;
    this.#zeroMs = zeroMs;
  }

  /** What has come due since this was asked last, with when it was due. */
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
