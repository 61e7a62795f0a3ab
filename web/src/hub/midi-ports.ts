import { create } from 'zustand';
import { peerKeyOf } from '../network/port-ids';

/** Web MIDI ports are named by this and the browser's own id. */
const PREFIX = 'midi:';
const SYSEX = 0xf0;

export interface MidiPort {
  id: string;
  name: string;
  direction: 'in' | 'out';
  connected: boolean;
}

interface MidiPortsState {
  access: 'unasked' | 'asking' | 'granted' | 'refused' | 'unsupported' | 'failed';
  /** Whether SysEx may be sent: full frames and machine control need it. */
  sysex: boolean;
  outputs: MidiPort[];
  inputs: MidiPort[];
  /** Ports that could not be opened, for another program has them. */
  inUse: ReadonlySet<string>;
  /** Ports that went and came back since the page was opened. */
  cameBack: ReadonlySet<string>;
  /** Handed over after the moment they were due. */
  lateMessages: number;
  /** Of those, how many at each port. */
  lateAt: Readonly<Record<string, number>>;
  /** Could not be handed over, because the port was gone or SysEx is not allowed. */
  lostMessages: number;
}

/** The MIDI ports of this computer, as the browser shows them. */
export const useMidiPorts = create<MidiPortsState>(() => ({
  access: 'unasked',
  sysex: false,
  outputs: [],
  inputs: [],
  inUse: new Set(),
  cameBack: new Set(),
  lateMessages: 0,
  lateAt: {},
  lostMessages: 0,
}));

let access: MIDIAccess | null = null;
let otherPorts: readonly MidiPort[] = [];
const portListeners = new Set<(port: MidiPort) => void>();
let receiver: ((portId: string, bytes: Uint8Array, atMs: number) => void) | null = null;
let listenedTo: ReadonlySet<string> = new Set();

/** Told when a port goes or comes back. Returns what ends that. */
export function onPortChange(listener: (port: MidiPort) => void): () => void {
  portListeners.add(listener);
  return () => portListeners.delete(listener);
}

/** Told of everything that arrives at a port that is listened to; the time in ms of the window's clock. */
export function onMidiIn(listener: (portId: string, bytes: Uint8Array, atMs: number) => void): void {
  receiver = listener;
}

/** Which inputs are listened to from now on, here or not. */
export function listenToMidiPorts(portIds: Iterable<string>): void {
  listenedTo = new Set(portIds);
  attach();
}

/**
 * Asks the browser for its MIDI ports; only ever on the musician's own press. SysEx is a stronger permission: it is asked for
 * where timecode, machine control or a line test needs it.
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
    if (before) return; // what was allowed before goes on
    const refused =
      error instanceof DOMException && (error.name === 'NotAllowedError' || error.name === 'SecurityError');
    useMidiPorts.setState({ access: refused ? 'refused' : 'failed' });
  }
}

/** The browser lets a permission be taken away again at any time: the ports are gone then, and that is told. */
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
 * Hands bytes to a port with the time they are due, in ms of the window's clock; null is at once. Ports that are not MIDI
 * are not ours.
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

/** One that may be gone: of this computer, or of a peer in the network. */
export function isMidiPort(portId: string): boolean {
  return portId.startsWith(PREFIX) || peerKeyOf(portId) !== null;
}

function change(port: MIDIPort): void {
  const before = useMidiPorts.getState();
  const known = [...before.outputs, ...before.inputs].find(({ id }) => id === PREFIX + port.id);
  readPorts();
  const now = describe(port);
  if (known?.connected === now.connected) return;
  if (known && now.connected) useMidiPorts.setState({ cameBack: new Set([...before.cameBack, now.id]) });
  for (const listener of portListeners) listener(now);
}

/** Gear at these ports was started anew. */
export function forgetReturn(portId: string): void {
  const cameBack = new Set(useMidiPorts.getState().cameBack);
  cameBack.delete(portId);
  useMidiPorts.setState({ cameBack });
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

/** Ports that are not the browser's stand among its own; whoever waits for a port is told when one of them comes or goes. */
export function setOtherPorts(ports: readonly MidiPort[]): void {
  const before = otherPorts;
  otherPorts = ports;
  readPorts();
  for (const port of ports) {
    const known = before.find(({ id, direction }) => id === port.id && direction === port.direction);
    if (known?.connected !== port.connected) for (const listener of portListeners) listener(port);
  }
}

/** A port that another program holds cannot be opened; it is told, and tried again when ports change. */
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
    name: port.name ?? `MIDI ${direction} without a name`,
    direction,
    connected: port.state === 'connected',
  };
}
