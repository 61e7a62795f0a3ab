import {
  forgetReturn,
  isMidiPort,
  listenToMidiPorts,
  onMidiIn,
  onPortChange,
  requestMidiPorts,
  sendToMidiPort,
  useMidiPorts,
} from './midi-ports';

/** As much of the W3C Web MIDI API as there is to keep to: one output, one input, and somebody who pulls them. */
function fakeAccess({ held = false } = {}) {
  const sent: { bytes: number[]; atMs: number }[] = [];
  const output = {
    ...{ id: 'out-1', name: 'Attic in', type: 'output', state: 'connected' },
    open: () => (held ? Promise.reject(new Error('held by another program')) : Promise.resolve()),
    send: (bytes: Uint8Array, atMs: number) => sent.push({ bytes: [...bytes], atMs }),
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

/** The browser asked for its ports; what it answers is `answer`. */
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
  useMidiPorts.setState({ lateMessages: 0, lateAt: {}, lostMessages: 0, cameBack: new Set(), inUse: new Set() }),
);

test('a browser without Web MIDI, and one that refuses, are told apart', async () => {
  delete (globalThis.navigator as { requestMIDIAccess?: unknown }).requestMIDIAccess;
  await requestMidiPorts();
  expect(useMidiPorts.getState().access).toBe('unsupported');
  await connect(new DOMException('no', 'NotAllowedError'));
  expect(useMidiPorts.getState().access).toBe('refused');
  await connect(new Error('something else'));
  expect(useMidiPorts.getState().access).toBe('failed');
});

test('ports are there by name, in both directions; SysEx is asked for only where it is wanted', async () => {
  const { access } = fakeAccess();
  expect(await connect(access)).toEqual([{ sysex: false }]);
  const { outputs, inputs, sysex } = useMidiPorts.getState();
  expect(outputs).toEqual([{ id: 'midi:out-1', name: 'Attic in', direction: 'out', connected: true }]);
  expect(inputs).toMatchObject([{ name: 'MIDI in without a name', direction: 'in' }]);
  expect(sysex).toBe(false);
  expect([isMidiPort('midi:out-1'), isMidiPort('boathouse-porch')]).toEqual([true, false]);
});

test('bytes go out with the time that they are due; what comes too late is counted, by port', async () => {
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

test('SysEx that is not allowed is not sent, and counted as lost', async () => {
  const { access, sent } = fakeAccess();
  const fullFrame = Uint8Array.of(0xf0, 0x7f, 0x7f, 1, 1, 0, 0, 0, 0, 0xf7);
  await connect(access);
  sendToMidiPort('midi:out-1', fullFrame, null);
  expect([sent.length, useMidiPorts.getState().lostMessages]).toEqual([0, 1]);
  await connect(access, { sysex: true });
  sendToMidiPort('midi:out-1', fullFrame, null);
  expect(sent).toHaveLength(1);
});

test('a port that is pulled is told as gone, what is sent there is lost, and it comes back', async () => {
  const { access, output, turn, sent } = fakeAccess();
  await connect(access);
  const told: string[] = [];
  const forget = onPortChange(({ id, connected }) => told.push(`${id} ${connected ? 'here' : 'gone'}`));
  turn(output, 'disconnected');
  sendToMidiPort('midi:out-1', Uint8Array.of(0xf8), null);
  turn(output, 'disconnected'); // browsers say it twice
  turn(output, 'connected');
  forget();
  turn(output, 'disconnected');
  expect(told).toEqual(['midi:out-1 gone', 'midi:out-1 here']);
  expect([sent.length, useMidiPorts.getState().lostMessages]).toEqual([0, 1]);
  expect([...useMidiPorts.getState().cameBack]).toEqual(['midi:out-1']);
  forgetReturn('midi:out-1');
  expect(useMidiPorts.getState().cameBack.size).toBe(0);
});

test('only ports that are listened to are heard, each with the time at which its bytes arrived', async () => {
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

test('a port that another program holds is told as in use', async () => {
  const { access } = fakeAccess({ held: true });
  await connect(access);
  expect([...useMidiPorts.getState().inUse]).toEqual(['midi:out-1']);
});
