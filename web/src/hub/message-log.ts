import type { LoggedMessage, MessageKind, PortMessage, RibbonLine } from './protocol';

const MOST_KEPT = 20_000;
/** Of a long SysEx so much is kept as can be shown. */
const MOST_BYTES = 64;

/** The last messages in and out. Noting one costs next to nothing: what it says is read when somebody looks. */
export class MessageLog {
  readonly #ring: LoggedMessage[] = [];
  #count = 0;
  readonly #newest = new Map<string, RibbonLine>();

  note(direction: LoggedMessage['direction'], { portId, bytes, atMs }: PortMessage): void {
    const kept = bytes.length > MOST_BYTES ? bytes.slice(0, MOST_BYTES) : bytes;
    this.#ring[this.#count % MOST_KEPT] = { number: ++this.#count, direction, portId, bytes: kept, atMs };
    const kind = kindOf(bytes);
    this.#newest.set(`${direction} ${portId} ${kind}`, { portId, direction, kind, bytes: kept });
  }

  /** The newest of each kind since this was asked last. */
  takeNewest(): RibbonLine[] {
    const lines = [...this.#newest.values()];
    this.#newest.clear();
    return lines;
  }

  after(number: number, most: number): LoggedMessage[] {
    const from = Math.max(number, this.#count - MOST_KEPT, this.#count - most);
    return Array.from({ length: Math.max(0, this.#count - from) }, (_, i) => this.#ring[(from + i) % MOST_KEPT]).filter(
      (one): one is LoggedMessage => one !== undefined,
    );
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
