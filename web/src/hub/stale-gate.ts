const [STOP, NOTE_OFF, NOTE_ON, STATUS] = [0xfc, 0x80, 0x90, 0xf0];

/** A stop and the end of a note do good at any time. */
function endsSomething([status = 0, , velocity = 0]: Uint8Array): boolean {
  const kind = status & STATUS;
  return status === STOP || kind === NOTE_OFF || (kind === NOTE_ON && velocity === 0);
}

/**
 * What was due more than a beat ago, because the page was blocked, isn't sent: a burst of old ticks would throw a
 * follower off. The gap is kept until the port is current again; then its gear has to be continued in place.
 */
export class StaleGate {
  readonly #gaps = new Map<string, number>();
  readonly #current = new Set<string>();

  /** Whether to send a message now; all times in ms, `beatMs` the length of a beat. */
  admits(portId: string, bytes: Uint8Array, atMs: number, nowMs: number, beatMs: number): boolean {
    if (nowMs - atMs <= beatMs) {
      if (this.#gaps.has(portId)) this.#current.add(portId);
      return true;
    }
    if (endsSomething(bytes)) return true;
    if (!this.#gaps.has(portId)) this.#gaps.set(portId, atMs);
    this.#current.delete(portId);
    return false;
  }

  /** The ports that are current again after a gap, and the time of its first message; once for each gap. */
  takeEnded(): { portId: string; sinceMs: number }[] {
    const ended = [...this.#current].map((portId) => ({ portId, sinceMs: this.#gaps.get(portId) ?? 0 }));
    for (const portId of this.#current) this.#gaps.delete(portId);
    this.#current.clear();
    return ended;
  }
}
