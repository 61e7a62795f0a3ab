import { create } from 'zustand';
import type { MidiPort, PortAdapter, Receive, Sent } from './port-adapter';
import { browserIdOf, midiPortId } from './port-ids';

const SYSEX = 0xf0;
/** A second stop comes this long after what was queued. */
const AFTER_MS = 1;

interface MidiAccessState {
  access: 'unasked' | 'asking' | 'granted' | 'refused' | 'unsupported' | 'failed';
  /** Whether SysEx is allowed: full frames and machine control need it. */
  sysex: boolean;
  /** Ports held by another app. */
  inUse: ReadonlySet<string>;
}

/** What the browser allows. */
export const useMidiAccess = create<MidiAccessState>(() => ({ access: 'unasked', sysex: false, inUse: new Set() }));

/** This computer's MIDI ports, as reported by the browser. */
export class WebMidiPorts implements PortAdapter {
  readonly kind = 'midi';
  #access: MIDIAccess | null = null;
  #receive: Receive = () => undefined;
  #changed: (how?: 'firstLook') => void = () => undefined;
  #listenedTo: ReadonlySet<string> = new Set();
  /** When the last message handed to an output is due, by port. */
  readonly #lastDueMs = new Map<string, number>();
  /** Ports of a revoked access, still listed. */
  #gone: MidiPort[] = [];

  begin(receive: Receive, changed: (how?: 'firstLook') => void): void {
    this.#receive = receive;
    this.#changed = changed;
  }

  list(): MidiPort[] {
    if (!this.#access) return this.#gone;
    return [...this.#access.outputs.values(), ...this.#access.inputs.values()].map(describe);
  }

  listenTo(portIds: ReadonlySet<string>): void {
    this.#listenedTo = portIds;
    this.#attach();
  }

  /**
   * Requests MIDI access; only on the musician's own click. SysEx is a stronger permission, requested only if timecode,
   * machine control or a line test needs it.
   */
  async request({ sysex = false } = {}): Promise<void> {
    if (typeof navigator.requestMIDIAccess !== 'function') {
      useMidiAccess.setState({ access: 'unsupported' });
      return;
    }
    if (!this.#access) useMidiAccess.setState({ access: 'asking' });
    try {
      const access = await navigator.requestMIDIAccess({ sysex });
      const first = this.#access === null && this.#gone.length === 0;
      // Each access has inputs of its own: those of the previous one would go on delivering too.
      this.#detach();
      this.#access = access;
      this.#gone = [];
      access.onstatechange = () => this.#look();
      useMidiAccess.setState({ access: 'granted', sysex: access.sysexEnabled });
      this.#look(first ? 'firstLook' : undefined);
      void this.#watchPermission(sysex);
    } catch (error) {
      if (this.#access) return; // Keep what was granted before.
      const refused =
        error instanceof DOMException && (error.name === 'NotAllowedError' || error.name === 'SecurityError');
      useMidiAccess.setState({ access: refused ? 'refused' : 'failed' });
    }
  }

  /** Without asking: what was granted before a reload is used again. */
  async requestIfGranted(): Promise<void> {
    for (const sysex of [true, false]) {
      const wanted = { name: 'midi', sysex } as unknown as PermissionDescriptor;
      const status = await navigator.permissions?.query(wanted).catch(() => null);
      if (status?.state === 'granted') return this.request({ sysex });
    }
  }

  send(portId: string, bytes: Uint8Array, atMs: number | null): Sent {
    const output = this.#access?.outputs.get(browserIdOf(portId));
    if (output?.state !== 'connected' || (bytes[0] === SYSEX && !useMidiAccess.getState().sysex)) return 'lost';
    const late = atMs !== null && performance.now() > atMs;
    try {
      output.send(bytes, atMs ?? 0);
    } catch {
      return 'lost';
    }
    if (atMs !== null) this.#lastDueMs.set(portId, Math.max(atMs, this.#lastDueMs.get(portId) ?? 0));
    return late ? 'late' : 'sent';
  }

  stopNow(portId: string, messages: readonly Uint8Array[]): void {
    const output: (MIDIOutput & { clear?: () => void }) | undefined = this.#access?.outputs.get(browserIdOf(portId));
    if (output?.state !== 'connected') return;
    const lastMs = this.#lastDueMs.get(portId) ?? 0;
    output.clear?.();
    for (const bytes of messages) this.send(portId, bytes, null);
    // What is queued may start the gear again, so it is stopped again after that.
    if (!output.clear && lastMs > performance.now())
      for (const bytes of messages) this.send(portId, bytes, lastMs + AFTER_MS);
  }

  close(): void {
    this.#detach();
    this.#access = null;
    this.#gone = [];
  }

  #look(how?: 'firstLook'): void {
    this.#attach();
    this.#changed(how);
  }

  #detach(): void {
    if (!this.#access) return;
    this.#access.onstatechange = null;
    for (const input of this.#access.inputs.values()) input.onmidimessage = null;
  }

  /** A permission can be revoked at any time: the ports are gone then, and that is reported. */
  async #watchPermission(sysex: boolean): Promise<void> {
    const wanted = { name: 'midi', sysex } as unknown as PermissionDescriptor;
    const status = await navigator.permissions?.query(wanted).catch(() => null);
    if (!status) return;
    status.onchange = () => {
      if (status.state !== 'denied' || !this.#access) return;
      this.#gone = this.list().map((port) => ({ ...port, connected: false }));
      this.#detach();
      this.#access = null;
      useMidiAccess.setState({ access: 'refused', sysex: false });
      this.#changed();
    };
  }

  /** A port held by another app can't be opened; report it, and retry when ports change. */
  #attach(): void {
    for (const input of this.#access?.inputs.values() ?? []) {
      const id = midiPortId(input.id);
      const wanted = this.#listenedTo.has(id) && input.state === 'connected';
      input.onmidimessage = wanted
        ? ({ data, timeStamp }) => {
            if (data) this.#receive(id, data, timeStamp);
          }
        : null;
      if (wanted) tryToOpen(input);
    }
    for (const output of this.#access?.outputs.values() ?? []) if (output.state === 'connected') tryToOpen(output);
  }
}

function tryToOpen(port: MIDIPort): void {
  const mark = (held: boolean) => {
    const id = midiPortId(port.id);
    const { inUse } = useMidiAccess.getState();
    if (inUse.has(id) === held) return;
    const next = new Set(inUse);
    if (held) next.add(id);
    else next.delete(id);
    useMidiAccess.setState({ inUse: next });
  };
  port.open().then(
    () => mark(false),
    () => mark(true),
  );
}

function describe(port: MIDIPort): MidiPort {
  const direction = port.type === 'input' ? 'in' : 'out';
  return {
    id: midiPortId(port.id),
    name: port.name ?? `Unnamed MIDI ${direction === 'in' ? 'input' : 'output'}`,
    direction,
    connected: port.state === 'connected',
  };
}

/** The page's own access to Web MIDI. */
export const webMidi = new WebMidiPorts();
