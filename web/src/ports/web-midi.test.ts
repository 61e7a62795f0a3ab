import { NetworkPorts } from './network-ports';
import { canDisconnect } from './port-ids';
import { clearReconnected, PortRegistry, usePorts } from './port-registry';
import { useMidiAccess, WebMidiPorts } from './web-midi';

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

let ports: PortRegistry;
let webMidi: WebMidiPorts;

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
  await webMidi.request(options);
  await settled();
  return asked;
}

beforeAll(() => {
  if (!('navigator' in globalThis)) Object.assign(globalThis, { navigator: {} });
});
beforeEach(() => {
  usePorts.setState({ outputs: [], inputs: [], lateMessages: 0, lateAt: {}, lostMessages: 0, reconnected: new Set() });
  useMidiAccess.setState({ access: 'unasked', sysex: false, inUse: new Set() });
  ports = new PortRegistry();
  webMidi = new WebMidiPorts();
  ports.add(webMidi);
});

test('a browser without Web MIDI and one that refuses are distinguished', async () => {
  delete (globalThis.navigator as { requestMIDIAccess?: unknown }).requestMIDIAccess;
  await webMidi.request();
  expect(useMidiAccess.getState().access).toBe('unsupported');
  await connect(new DOMException('no', 'NotAllowedError'));
  expect(useMidiAccess.getState().access).toBe('refused');
  await connect(new Error('something else'));
  expect(useMidiAccess.getState().access).toBe('failed');
});

test.each([
  ['after a reload, what was granted is used again without asking', { state: 'granted' }, 1],
  ['what was never granted isn’t asked for unprompted', { state: 'prompt' }, 0],
  ['a browser that can’t say what was granted isn’t asked either', new TypeError('no such permission'), 0],
])('%s', async (_, answer, times) => {
  const asked = await connect(fakeAccess().access);
  asked.length = 0;
  const query = () => (answer instanceof Error ? Promise.reject(answer) : Promise.resolve(answer));
  Object.assign(globalThis.navigator, { permissions: { query } });
  await webMidi.requestIfGranted();
  expect(asked).toHaveLength(times);
});

test('ports are listed by name, in both directions; SysEx is requested only if needed', async () => {
  const { access } = fakeAccess();
  expect(await connect(access)).toEqual([{ sysex: false }]);
  const { outputs, inputs } = usePorts.getState();
  const { sysex } = useMidiAccess.getState();
  expect(outputs).toEqual([{ id: 'midi:out-1', name: 'Attic in', direction: 'out', connected: true }]);
  expect(inputs).toMatchObject([{ name: 'Unnamed MIDI input', direction: 'in' }]);
  expect(sysex).toBe(false);
  expect([canDisconnect('midi:out-1'), canDisconnect('boathouse-porch')]).toEqual([true, false]);
});

test('bytes go out with their due time; late ones are counted per port', async () => {
  const { access, sent } = fakeAccess();
  await connect(access);
  const later = performance.now() + 10_000;
  ports.send('midi:out-1', Uint8Array.of(0xf8), later);
  ports.send('midi:out-1', Uint8Array.of(0xf8), performance.now() - 5);
  ports.send('midi:out-1', Uint8Array.of(0x90, 60, 100), null);
  expect(sent.map(({ bytes }) => bytes)).toEqual([[0xf8], [0xf8], [0x90, 60, 100]]);
  expect([sent[0]!.atMs, sent[2]!.atMs]).toEqual([later, 0]);
  expect(usePorts.getState()).toMatchObject({ lateMessages: 1, lateAt: { 'midi:out-1': 1 }, lostMessages: 0 });
});

test('a page that closes stops its gear at once; what was queued isn’t sent any more', async () => {
  const { access, output, sent } = fakeAccess();
  await connect(access);
  ports.send('midi:out-1', Uint8Array.of(0xf8), performance.now() + 10_000);
  const stop = Uint8Array.of(0xfc);
  ports.stopNow('midi:out-1', [stop]);
  expect(sent).toEqual([{ bytes: [0xfc], atMs: 0 }]);
  output.state = 'disconnected';
  ports.stopNow('midi:out-1', [stop]);
  ports.stopNow('boathouse-porch', [stop]);
  expect(sent).toHaveLength(1);
});

test('SysEx without permission isn’t sent, and counts as lost', async () => {
  const { access, sent } = fakeAccess();
  const fullFrame = Uint8Array.of(0xf0, 0x7f, 0x7f, 1, 1, 0, 0, 0, 0, 0xf7);
  await connect(access);
  ports.send('midi:out-1', fullFrame, null);
  expect([sent.length, usePorts.getState().lostMessages]).toEqual([0, 1]);
  await connect(access, { sysex: true });
  ports.send('midi:out-1', fullFrame, null);
  expect(sent).toHaveLength(1);
});

test('an unplugged port is reported as disconnected, its messages as lost, and it reconnects', async () => {
  const { access, output, turn, sent } = fakeAccess();
  await connect(access);
  const told: string[] = [];
  const forget = ports.onChange(({ id, connected }) => told.push(`${id} ${connected ? 'here' : 'gone'}`));
  turn(output, 'disconnected');
  ports.send('midi:out-1', Uint8Array.of(0xf8), null);
  turn(output, 'disconnected'); // Browsers report it twice.
  turn(output, 'connected');
  forget();
  turn(output, 'disconnected');
  expect(told).toEqual(['midi:out-1 gone', 'midi:out-1 here']);
  expect([sent.length, usePorts.getState().lostMessages]).toEqual([0, 1]);
  expect([...usePorts.getState().reconnected]).toEqual(['midi:out-1']);
  clearReconnected('midi:out-1');
  expect(usePorts.getState().reconnected.size).toBe(0);
});

test('only inputs in use are received, each with the arrival time of its bytes', async () => {
  const { access, input } = fakeAccess();
  const heard: [string, number[], number][] = [];
  ports.onReceived((portId, bytes, atMs) => heard.push([portId, [...bytes], atMs]));
  await connect(access);
  expect(input.onmidimessage).toBeNull();
  ports.listenTo(['midi:in-1']);
  input.onmidimessage!({ data: Uint8Array.of(0xfa), timeStamp: 12.5 });
  ports.listenTo([]);
  expect(input.onmidimessage).toBeNull();
  expect(heard).toEqual([['midi:in-1', [0xfa], 12.5]]);
});

test('a port held by another app is reported as in use', async () => {
  const { access } = fakeAccess({ held: true });
  await connect(access);
  expect([...useMidiAccess.getState().inUse]).toEqual(['midi:out-1']);
});

test('after SysEx was allowed too, each byte is received once', async () => {
  // Each access of the browser has inputs of its own.
  const [first, second] = [fakeAccess(), fakeAccess()];
  const heard: number[] = [];
  ports.onReceived((_, bytes) => heard.push(...bytes));
  ports.listenTo(['midi:in-1']);
  await connect(first.access);
  await connect(second.access, { sysex: true });
  for (const { input } of [first, second]) input.onmidimessage?.({ data: Uint8Array.of(0xf8), timeStamp: 1 });
  expect(heard).toEqual([0xf8]);
});

test('a peer that returns is one change, though it is an input and an output', () => {
  const network = new NetworkPorts();
  ports.add(network);
  const told: string[] = [];
  ports.onChange(({ id, connected }) => told.push(`${id} ${connected ? 'here' : 'gone'}`));
  const jetty = [{ key: 'jetty', name: 'Jetty' }];
  network.show(jetty, new Set());
  network.show(jetty, new Set(['jetty']));
  network.show(jetty, new Set());
  expect(told).toEqual(['net:jetty here', 'net:jetty gone']);
});

test('a port plugged in after access was granted is a change; those that were there already aren’t', async () => {
  const { access, turn } = fakeAccess();
  const told: string[] = [];
  ports.onChange(({ id }) => told.push(id));
  await connect(access);
  const later = { ...[...access.outputs.values()][0]!, id: 'out-2' };
  access.outputs.set('out-2', later);
  turn(later, 'connected');
  expect(told).toEqual(['midi:out-2']);
});

test('where the browser can’t take back what is queued, the gear is stopped again after it', async () => {
  const { access, output, sent } = fakeAccess();
  Object.assign(output, { clear: undefined });
  await connect(access);
  const laterMs = performance.now() + 10_000;
  ports.send('midi:out-1', Uint8Array.of(0xfa), laterMs);
  ports.stopNow('midi:out-1', [Uint8Array.of(0xfc)]);
  expect(sent.map(({ bytes, atMs }) => [bytes[0], atMs])).toEqual([
    [0xfa, laterMs],
    [0xfc, 0],
    [0xfc, laterMs + 1],
  ]);
});
