import {
  clearReconnected,
  isMidiPort,
  listenToMidiPorts,
  onMidiIn,
  onPortChange,
  requestMidiPorts,
  sendToMidiPort,
  stopMidiPort,
  useMidiPorts,
} from './midi-ports';

/** A minimal W3C Web MIDI API: one output, one input, and a way to unplug them. */
function fakeAccess({ held = false } = {}) {
  const sent: { bytes: number[]; atMs: number }[] = [];
  const output = {
    ...{ id: 'out-1', name: 'Attic in', type: 'output', state: 'connected' },
    open: () => (held ? Promise.reject(new Error('held by another program')) : Promise.resolve()),
    send: (bytes: Uint8Array, atMs: number) => sent.push({ bytes: [...bytes], atMs }),
    clear: () => void sent.splice(0),
  };
  const input = {
    ...{ id: 'in-1', name: null, type: 'input', state: 'connected' },
    open: () => Promise.resolve(),
    onmidimessage: null as null | ((event: { data: Uint8Array; timeStamp: number }) => void),
  };
  const access = {
    ...{ sysexEnabled: false, onstatechange: null as null | ((event: { port: object }) => void) },
    outputs: new Map([[output.id, output]]),
    inputs: new Map([[input.id, input]]),
  };
  const turn = (port: typeof output | typeof input, state: string) => {
    port.state = state;
    access.onstatechange?.({ port });
  };
  return { access, output, input, sent, turn };
}

const settled = () => new Promise((resolve) => setTimeout(resolve, 0));

/** Requests the ports; the browser's reply is `answer`. */
async function connect(answer: unknown, options?: { sysex: boolean }) {
  const asked: object[] = [];
  Object.assign(globalThis.navigator, {
    requestMIDIAccess: (wanted: { sysex: boolean }) => {
      asked.push(wanted);
      if (answer instanceof Error || answer instanceof DOMException) return Promise.reject(answer);
      return Promise.resolve(Object.assign(answer as object, { sysexEnabled: wanted.sysex }));
    },
  });
  await requestMidiPorts(options);
  await settled();
  return asked;
}

beforeAll(() => {
  if (!('navigator' in globalThis)) Object.assign(globalThis, { navigator: {} });
});
beforeEach(() =>
  useMidiPorts.setState({ lateMessages: 0, lateAt: {}, lostMessages: 0, reconnected: new Set(), inUse: new Set() }),
);

test('a browser without Web MIDI and one that refuses are distinguished', async () => {
  delete (globalThis.navigator as { requestMIDIAccess?: unknown }).requestMIDIAccess;
  await requestMidiPorts();
  expect(useMidiPorts.getState().access).toBe('unsupported');
  await connect(new DOMException('no', 'NotAllowedError'));
  expect(useMidiPorts.getState().access).toBe('refused');
  await connect(new Error('something else'));
  expect(useMidiPorts.getState().access).toBe('failed');
});

test('ports are listed by name, in both directions; SysEx is requested only if needed', async () => {
  const { access } = fakeAccess();
  expect(await connect(access)).toEqual([{ sysex: false }]);
  const { outputs, inputs, sysex } = useMidiPorts.getState();
  expect(outputs).toEqual([{ id: 'midi:out-1', name: 'Attic in', direction: 'out', connected: true }]);
  expect(inputs).toMatchObject([{ name: 'Unnamed MIDI input', direction: 'in' }]);
  expect(sysex).toBe(false);
  expect([isMidiPort('midi:out-1'), isMidiPort('boathouse-porch')]).toEqual([true, false]);
});

test('bytes go out with their due time; late ones are counted per port', async () => {
  const { access, sent } = fakeAccess();
  await connect(access);
  const later = performance.now() + 10_000;
  sendToMidiPort('midi:out-1', Uint8Array.of(0xf8), later);
  sendToMidiPort('midi:out-1', Uint8Array.of(0xf8), performance.now() - 5);
  sendToMidiPort('midi:out-1', Uint8Array.of(0x90, 60, 100), null);
  sendToMidiPort('boathouse-porch', Uint8Array.of(0xf8), 0);
  expect(sent.map(({ bytes }) => bytes)).toEqual([[0xf8], [0xf8], [0x90, 60, 100]]);
  expect([sent[0]!.atMs, sent[2]!.atMs]).toEqual([later, 0]);
  expect(useMidiPorts.getState()).toMatchObject({ lateMessages: 1, lateAt: { 'midi:out-1': 1 }, lostMessages: 0 });
});

test('a page that closes stops its gear at once; what was queued isn’t sent any more', async () => {
  const { access, output, sent } = fakeAccess();
  await connect(access);
  sendToMidiPort('midi:out-1', Uint8Array.of(0xf8), performance.now() + 10_000);
  stopMidiPort('midi:out-1');
  expect(sent).toEqual([{ bytes: [0xfc], atMs: undefined }]);
  output.state = 'disconnected';
  stopMidiPort('midi:out-1');
  stopMidiPort('boathouse-porch');
  expect(sent).toHaveLength(1);
});

test('SysEx without permission isn’t sent, and counts as lost', async () => {
  const { access, sent } = fakeAccess();
  const fullFrame = Uint8Array.of(0xf0, 0x7f, 0x7f, 1, 1, 0, 0, 0, 0, 0xf7);
  await connect(access);
  sendToMidiPort('midi:out-1', fullFrame, null);
  expect([sent.length, useMidiPorts.getState().lostMessages]).toEqual([0, 1]);
  await connect(access, { sysex: true });
  sendToMidiPort('midi:out-1', fullFrame, null);
  expect(sent).toHaveLength(1);
});

test('an unplugged port is reported as disconnected, its messages as lost, and it reconnects', async () => {
  const { access, output, turn, sent } = fakeAccess();
  await connect(access);
  const told: string[] = [];
  const forget = onPortChange(({ id, connected }) => told.push(`${id} ${connected ? 'here' : 'gone'}`));
  turn(output, 'disconnected');
  sendToMidiPort('midi:out-1', Uint8Array.of(0xf8), null);
  turn(output, 'disconnected'); // Browsers report it twice.
  turn(output, 'connected');
  forget();
  turn(output, 'disconnected');
  expect(told).toEqual(['midi:out-1 gone', 'midi:out-1 here']);
  expect([sent.length, useMidiPorts.getState().lostMessages]).toEqual([0, 1]);
  expect([...useMidiPorts.getState().reconnected]).toEqual(['midi:out-1']);
  clearReconnected('midi:out-1');
  expect(useMidiPorts.getState().reconnected.size).toBe(0);
});

test('only inputs in use are received, each with the arrival time of its bytes', async () => {
  const { access, input } = fakeAccess();
  const heard: [string, number[], number][] = [];
  onMidiIn((portId, bytes, atMs) => heard.push([portId, [...bytes], atMs]));
  await connect(access);
  expect(input.onmidimessage).toBeNull();
  listenToMidiPorts(['midi:in-1']);
  input.onmidimessage!({ data: Uint8Array.of(0xfa), timeStamp: 12.5 });
  listenToMidiPorts([]);
  expect(input.onmidimessage).toBeNull();
  expect(heard).toEqual([['midi:in-1', [0xfa], 12.5]]);
});

test('a port held by another app is reported as in use', async () => {
  const { access } = fakeAccess({ held: true });
  await connect(access);
  expect([...useMidiPorts.getState().inUse]).toEqual(['midi:out-1']);
});
