import type { LoggedMessage, MessageKind, PortMessage, RibbonLine } from './protocol';

const MOST_KEPT = 20_000;
/** Of a long SysEx so much is kept as can be shown. */
const MOST_BYTES = 64;

/**
 * The last messages in and out. Noting one costs next to nothing: what it says is read when somebody looks. They lie in flat
 * arrays, for twenty thousand small objects are work for the collector of garbage, which stops the worker.
 */
export class MessageLog {
  readonly #atMs = new Float64Array(MOST_KEPT);
  readonly #lengths = new Uint8Array(MOST_KEPT);
  readonly #bytes = new Uint8Array(MOST_KEPT * MOST_BYTES);
  readonly #ports = new Uint16Array(MOST_KEPT);
  readonly #incoming = new Uint8Array(MOST_KEPT);
  readonly #portIds: string[] = [];
  #count = 0;
  #taken = 0;

  note(direction: LoggedMessage['direction'], { portId, bytes, atMs }: PortMessage): void {
    const kept = bytes.length > MOST_BYTES ? bytes.subarray(0, MOST_BYTES) : bytes;
    const place = this.#count++ % MOST_KEPT;
    this.#atMs[place] = atMs;
    this.#lengths[place] = kept.length;
    this.#bytes.set(kept, place * MOST_BYTES);
    this.#ports[place] = this.#numberOf(portId);
    this.#incoming[place] = direction === 'in' ? 1 : 0;
  }

  /** The newest of each kind at each port since this was asked last; of `most` kinds, those that came first. */
  takeNewest(most: number): RibbonLine[] {
    const lines: RibbonLine[] = [];
    const from = Math.max(this.#taken, this.#count - MOST_KEPT);
    this.#taken = this.#count;
    for (let i = from; i < this.#count; i++) {
      const { direction, portId, bytes } = this.#at(i);
      const kind = kindOf(bytes);
      const known = lines.find((line) => line.kind === kind && line.portId === portId && line.direction === direction);
      if (known) known.bytes = bytes;
      else if (lines.length < most) lines.push({ portId, direction, kind, bytes });
    }
    return lines;
  }

  /** The messages after the one with a number, as far as they are still kept; the newest `most` of them. */
  after(number: number, most: number): LoggedMessage[] {
    const from = Math.max(number, this.#count - MOST_KEPT, this.#count - most);
    return Array.from({ length: Math.max(0, this.#count - from) }, (_, i) => this.#at(from + i));
  }

  #at(index: number): LoggedMessage {
    const place = index % MOST_KEPT;
    const start = place * MOST_BYTES;
    return {
      number: index + 1,
      direction: this.#incoming[place] ? 'in' : 'out',
      portId: this.#portIds[this.#ports[place] ?? 0] ?? '',
      bytes: this.#bytes.slice(start, start + (this.#lengths[place] ?? 0)),
      atMs: this.#atMs[place] ?? 0,
    };
  }

  #numberOf(portId: string): number {
    const known = this.#portIds.indexOf(portId);
    return known >= 0 ? known : this.#portIds.push(portId) - 1;
  }
}

/** By the first byte, and of SysEx by its kind. */
export function kindOf(bytes: Uint8Array): MessageKind {
  const [status = 0, id, , group] = bytes;
  if (status === 0xf8) return 'clock';
  if (status === 0xf1) return 'timecode';
  if (status === 0xfa || status === 0xfb || status === 0xfc || status === 0xf2) return 'transport';
  if (status === 0xf0 && id === 0x7f) return group === 1 ? 'timecode' : 'transport';
  return status >= 0x80 && status < 0xf0 ? 'notes' : 'other';
}
