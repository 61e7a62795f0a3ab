import { create } from 'zustand';
import { peerKeyOf } from '../network/port-ids';

/** Prefix of Web MIDI port ids, followed by the browser's own id. */
const PREFIX = 'midi:';
const STOP = 0xfc;
const SYSEX = 0xf0;

export interface MidiPort {
  id: string;
  name: string;
  direction: 'in' | 'out';
  connected: boolean;
}

interface MidiPortsState {
  access: 'unasked' | 'asking' | 'granted' | 'refused' | 'unsupported' | 'failed';
  /** Whether SysEx is allowed: full frames and machine control need it. */
  sysex: boolean;
  outputs: MidiPort[];
  inputs: MidiPort[];
  /** Ports held by another app. */
  inUse: ReadonlySet<string>;
  /** Ports that were reconnected since the page was opened. */
  reconnected: ReadonlySet<string>;
  /** Messages handed over after their due time. */
  lateMessages: number;
  /** The same per port. */
  lateAt: Readonly<Record<string, number>>;
  /** Messages that couldn't be sent because the port was disconnected or SysEx isn't allowed. */
  lostMessages: number;
}

/** This computer's MIDI ports, as reported by the browser. */
export const useMidiPorts = create<MidiPortsState>(() => ({
  access: 'unasked',
  sysex: false,
  outputs: [],
  inputs: [],
  inUse: new Set(),
  reconnected: new Set(),
  lateMessages: 0,
  lateAt: {},
  lostMessages: 0,
}));

let access: MIDIAccess | null = null;
let otherPorts: readonly MidiPort[] = [];
const portListeners = new Set<(port: MidiPort) => void>();
let receiver: ((portId: string, bytes: Uint8Array, atMs: number) => void) | null = null;
let listenedTo: ReadonlySet<string> = new Set();

/** Called when a port is disconnected or reconnected. Returns an unsubscribe function. */
export function onPortChange(listener: (port: MidiPort) => void): () => void {
  portListeners.add(listener);
  return () => portListeners.delete(listener);
}

/** Called for everything that arrives on an input in use; time in ms of the window's clock. */
export function onMidiIn(listener: (portId: string, bytes: Uint8Array, atMs: number) => void): void {
  receiver = listener;
}

/** Sets the inputs to listen to, connected or not. */
export function listenToMidiPorts(portIds: Iterable<string>): void {
  listenedTo = new Set(portIds);
  attach();
}

/**
 * Requests MIDI access; only on the musician's own click. SysEx is a stronger permission, requested only if timecode,
 * machine control or a line test needs it.
 */
export async function requestMidiPorts({ sysex = false } = {}): Promise<void> {
  if (typeof navigator.requestMIDIAccess !== 'function') {
    useMidiPorts.setState({ access: 'unsupported' });
    return;
  }
  const before = access;
  if (!before) useMidiPorts.setState({ access: 'asking' });
  try {
    access = await navigator.requestMIDIAccess({ sysex });
    if (before) before.onstatechange = null;
    access.onstatechange = ({ port }) => port && change(port);
    useMidiPorts.setState({ access: 'granted', sysex: access.sysexEnabled });
    readPorts();
    void watchPermission(sysex);
  } catch (error) {
    if (before) return; // Keep what was granted before.
    const refused =
      error instanceof DOMException && (error.name === 'NotAllowedError' || error.name === 'SecurityError');
    useMidiPorts.setState({ access: refused ? 'refused' : 'failed' });
  }
}

/** A permission can be revoked at any time: the ports are gone then, and that is reported. */
async function watchPermission(sysex: boolean): Promise<void> {
  const wanted = { name: 'midi', sysex } as unknown as PermissionDescriptor;
  const status = await navigator.permissions?.query(wanted).catch(() => null);
  if (!status) return;
  status.onchange = () => {
    if (status.state !== 'denied' || !access) return;
    access.onstatechange = null;
    access = null;
    const gone = (port: MidiPort) => ({ ...port, connected: false });
    const { outputs, inputs } = useMidiPorts.getState();
    useMidiPorts.setState({ access: 'refused', sysex: false, outputs: outputs.map(gone), inputs: inputs.map(gone) });
    for (const port of [...outputs, ...inputs]) for (const listener of portListeners) listener(gone(port));
  };
}

/**
 * Sends bytes to a port with their due time, in ms of the window's clock; null is immediately. Ignores ids of other
 * port kinds.
 */
export function sendToMidiPort(portId: string, bytes: Uint8Array, atMs: number | null): void {
  if (!isMidiPort(portId)) return;
  const output = access?.outputs.get(portId.slice(PREFIX.length));
  const { lateMessages, lateAt, lostMessages, sysex } = useMidiPorts.getState();
  if (!output || output.state !== 'connected' || (bytes[0] === SYSEX && !sysex)) {
    useMidiPorts.setState({ lostMessages: lostMessages + 1 });
    return;
  }
  if (atMs !== null && performance.now() > atMs)
    useMidiPorts.setState({
      lateMessages: lateMessages + 1,
      lateAt: { ...lateAt, [portId]: (lateAt[portId] ?? 0) + 1 },
    });
  try {
    output.send(bytes, atMs ?? 0);
  } catch {
    useMidiPorts.setState({ lostMessages: lostMessages + 1 });
  }
}

/** Sends a stop at once, in place of everything that was handed over for later where the browser can take it back. */
export function stopMidiPort(portId: string): void {
  if (!isMidiPort(portId)) return;
  const output: (MIDIOutput & { clear?: () => void }) | undefined = access?.outputs.get(portId.slice(PREFIX.length));
  if (output?.state !== 'connected') return;
  output.clear?.();
  output.send([STOP]);
}

/** Ports that can be disconnected: of this computer, or of a network peer. */
export function isMidiPort(portId: string): boolean {
  return portId.startsWith(PREFIX) || peerKeyOf(portId) !== null;
}

function change(port: MIDIPort): void {
  const before = useMidiPorts.getState();
  const known = [...before.outputs, ...before.inputs].find(({ id }) => id === PREFIX + port.id);
  readPorts();
  const now = describe(port);
  if (known?.connected === now.connected) return;
  if (known && now.connected) useMidiPorts.setState({ reconnected: new Set([...before.reconnected, now.id]) });
  for (const listener of portListeners) listener(now);
}

/** The gear on these ports was restarted. */
export function clearReconnected(portId: string): void {
  const reconnected = new Set(useMidiPorts.getState().reconnected);
  reconnected.delete(portId);
  useMidiPorts.setState({ reconnected });
}

function readPorts(): void {
  const all = [...describeAll(access), ...otherPorts];
  useMidiPorts.setState({
    outputs: all.filter(({ direction }) => direction === 'out'),
    inputs: all.filter(({ direction }) => direction === 'in'),
  });
  attach();
}

function describeAll(access: MIDIAccess | null): MidiPort[] {
  return access ? [...access.outputs.values(), ...access.inputs.values()].map(describe) : [];
}

/** Adds ports from other sources to the list; subscribers are notified when they come and go. */
export function setOtherPorts(ports: readonly MidiPort[]): void {
  const before = otherPorts;
  otherPorts = ports;
  readPorts();
  for (const port of ports) {
    const known = before.find(({ id, direction }) => id === port.id && direction === port.direction);
    if (known?.connected !== port.connected) for (const listener of portListeners) listener(port);
  }
}

/** A port held by another app can't be opened; report it, and retry when ports change. */
function attach(): void {
  for (const input of access?.inputs.values() ?? []) {
    const id = PREFIX + input.id;
    const wanted = listenedTo.has(id) && input.state === 'connected';
    input.onmidimessage = wanted
      ? ({ data, timeStamp }) => {
          if (data) receiver?.(id, data, timeStamp);
        }
      : null;
    if (wanted) tryToOpen(input);
  }
  for (const output of access?.outputs.values() ?? []) if (output.state === 'connected') tryToOpen(output);
}

function tryToOpen(port: MIDIPort): void {
  const mark = (held: boolean) => {
    const id = PREFIX + port.id;
    const { inUse } = useMidiPorts.getState();
    if (inUse.has(id) === held) return;
    const next = new Set(inUse);
    if (held) next.add(id);
    else next.delete(id);
    useMidiPorts.setState({ inUse: next });
  };
  port.open().then(
    () => mark(false),
    () => mark(true),
  );
}

function describe(port: MIDIPort): MidiPort {
  const direction = port.type === 'input' ? 'in' : 'out';
  return {
    id: PREFIX + port.id,
    name: port.name ?? `Unnamed MIDI ${direction === 'in' ? 'input' : 'output'}`,
    direction,
    connected: port.state === 'connected',
  };
}
