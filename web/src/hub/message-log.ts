import type { LoggedMessage, MessageKind, PortMessage, RibbonLine } from './protocol';

const MAX_KEPT = 20_000;
/** Bytes of a long SysEx to keep for display. */
const MAX_BYTES = 64;

/**
 * Ring buffer of recent messages in flat typed arrays: cheap to append, decoded lazily. 20,000 small objects would
 * cause GC pauses in the worker.
 */
export class MessageLog {
  readonly #atMs = new Float64Array(MAX_KEPT);
  readonly #lengths = new Uint8Array(MAX_KEPT);
  readonly #bytes = new Uint8Array(MAX_KEPT * MAX_BYTES);
  readonly #ports = new Uint16Array(MAX_KEPT);
  readonly #incoming = new Uint8Array(MAX_KEPT);
  readonly #portIds: string[] = [];
  #count = 0;
  #taken = 0;

  note(direction: LoggedMessage['direction'], { portId, bytes, atMs }: PortMessage): void {
    const kept = bytes.length > MAX_BYTES ? bytes.subarray(0, MAX_BYTES) : bytes;
    const place = this.#count++ % MAX_KEPT;
    this.#atMs[place] = atMs;
    this.#lengths[place] = kept.length;
    this.#bytes.set(kept, place * MAX_BYTES);
    this.#ports[place] = this.#numberOf(portId);
    this.#incoming[place] = direction === 'in' ? 1 : 0;
  }

  /** The newest message of each kind on each port since the last call; at most `most`, earliest kinds first. */
  takeNewest(most: number): RibbonLine[] {
    const lines: RibbonLine[] = [];
    const from = Math.max(this.#taken, this.#count - MAX_KEPT);
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

  /** The messages after a given number that are still kept; the newest `most` of them. */
  after(number: number, most: number): LoggedMessage[] {
    const from = Math.max(number, this.#count - MAX_KEPT, this.#count - most);
    return Array.from({ length: Math.max(0, this.#count - from) }, (_, i) => this.#at(from + i));
  }

  #at(index: number): LoggedMessage {
    const place = index % MAX_KEPT;
    const start = place * MAX_BYTES;
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

/** By status byte; SysEx by its type. */
export function kindOf(bytes: Uint8Array): MessageKind {
  const [status = 0, id, , group] = bytes;
  if (status === 0xf8) return 'clock';
  if (status === 0xf1) return 'timecode';
  if (status === 0xfa || status === 0xfb || status === 0xfc || status === 0xf2) return 'transport';
  if (status === 0xf0 && id === 0x7f) return group === 1 ? 'timecode' : 'transport';
  return status >= 0x80 && status < 0xf0 ? 'notes' : 'other';
}
