const MAX_BYTES = 65_536;

/** Reassembles the segments of a long SysEx; discards it if a segment is lost. */
export class SysexPieces {
  #parts: Uint8Array[] | null = null;
  #length = 0;

  /** What this segment completes: the command itself if it isn't a segment, or null while more is to come. */
  push(bytes: Uint8Array): Uint8Array | null {
    const [first] = bytes;
    const last = bytes.at(-1);
    if (first !== 0xf0 && first !== 0xf7) return bytes;
    if (first === 0xf0 && last === 0xf7) return bytes;
    if (first === 0xf0) {
      this.#parts = [];
      this.#length = 0;
    }
    const parts = this.#parts;
    const data = bytes.subarray(1, -1);
    if (!parts || last === 0xf4 || this.#length + data.length > MAX_BYTES) {
      this.giveUp();
      return null;
    }
    parts.push(data);
    this.#length += data.length;
    if (last !== 0xf7) return null;
    const whole = new Uint8Array(this.#length + 2);
    whole[0] = 0xf0;
    let at = 1;
    for (const part of parts) {
      whole.set(part, at);
      at += part.length;
    }
    whole[at] = 0xf7;
    this.giveUp();
    return whole;
  }

  giveUp(): void {
    this.#parts = null;
  }
}
