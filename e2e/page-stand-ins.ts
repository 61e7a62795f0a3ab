import type { WebDriver } from 'selenium-webdriver';
import type { Driver } from 'selenium-webdriver/chrome';

/** Injects a script into every page before the app's own. */
async function beforeApp(driver: WebDriver, script: string): Promise<void> {
  await (driver as Driver).sendAndGetDevToolsCommand('Page.addScriptToEvaluateOnNewDocument', { source: script });
}

/**
 * A stand-in for `navigator.requestMIDIAccess` that follows the W3C Web MIDI API: outputs, the first of them "Attic
 * in", which can be unplugged (`standIn.pull()`) and plugged back in, and which record what they are sent with its due
 * time and call time; and one input, "Attic out", fed by `standIn.arrive(bytes, receivedAtMs)`.
 */
export function withMidi(driver: WebDriver, { refuse = false, outputs = 1 } = {}): Promise<void> {
  return beforeApp(
    driver,
    `(() => {
      const sent = [];
      const counted = { all: 0, late: 0, latestMs: 0, lateAtMs: [] };
      const common = () => ({ manufacturer: '', version: '1', state: 'connected', connection: 'closed' });
      const output = (number) => {
        const port = Object.assign(new EventTarget(), {
          ...common(), id: 'attic-' + number, name: number === 1 ? 'Attic in' : 'Attic in ' + number, type: 'output',
          send(data, timestamp = 0) {
            if (this.state !== 'connected') throw new DOMException('gone', 'InvalidStateError');
            const bytes = Array.from(data);
            if (bytes.some((byte) => !(byte >= 0 && byte <= 255))) throw new TypeError('not bytes');
            if (bytes[0] === 0xf0 && !access.sysexEnabled) throw new DOMException('no SysEx', 'InvalidAccessError');
            const calledMs = performance.now();
            counted.all++;
            if (timestamp > 0 && calledMs > timestamp) {
              counted.late++;
              counted.latestMs = Math.max(counted.latestMs, calledMs - timestamp);
              if (counted.lateAtMs.length < 10000) counted.lateAtMs.push(Date.now());
            }
            if (${outputs} === 1) sent.push({ bytes, atMs: timestamp, calledMs });
            window.standIn.onSend?.(bytes, timestamp || calledMs, this.id);
          },
          clear() {}, open: async () => port, close: async () => port,
        });
        return port;
      };
      const ports = Array.from({ length: ${outputs} }, (_, i) => output(i + 1));
      const [port] = ports;
      const input = Object.assign(new EventTarget(), {
        ...common(), id: 'attic-out', name: 'Attic out', type: 'input', onmidimessage: null, open: async () => input, close: async () => input,
      });
      const access = Object.assign(new EventTarget(), {
        inputs: new Map([[input.id, input]]), outputs: new Map(ports.map((one) => [one.id, one])), sysexEnabled: false, onstatechange: null,
      });
      const change = (state) => {
        port.state = state;
        const event = Object.assign(new Event('statechange'), { port });
        access.onstatechange?.(event);
        access.dispatchEvent(event);
      };
      window.standIn = {
        sent, counted, asked: [], onSend: null,
        pull: () => change('disconnected'), putBack: () => change('connected'),
        arrive: (bytes, timeStamp = performance.now()) => input.onmidimessage?.({ data: Uint8Array.from(bytes), timeStamp }),
      };
      navigator.requestMIDIAccess = async (options) => {
        window.standIn.asked.push(options ?? {});
        if (${refuse}) throw new DOMException('Permission was denied', 'NotAllowedError');
        access.sysexEnabled = Boolean(options?.sysex);
        return access;
      };
    })();`,
  );
}

/**
 * Script of devices on the MIDI ports that play into an input of `mixer`: a burst after each quarter note of their clock,
 * counted from a start or song position, and after each note. They map port times to audio time on their own, by the median
 * of many readings, because an audio server's vary by milliseconds; after a dropout by the newest.
 */
const devicesOf = (mixer: string, input: string) => `
      const offsets = [];
      const middle = (some = offsets) => [...some].sort((a, b) => a - b)[Math.floor(some.length / 2)];
      const read = () => {
        const { contextTime, performanceTime } = context.getOutputTimestamp();
        if (contextTime > 0) offsets.push(contextTime - performanceTime / 1000);
        if (offsets.length > 64) offsets.shift();
        const newest = offsets.slice(-8);
        if (Math.abs(middle(newest) - middle()) > 0.002) offsets.splice(0, offsets.length - newest.length);
      };
      const burst = (atMs, device) => {
        if (!context || offsets.length === 0) return;
        const buffer = context.createBuffer(1, 2400, context.sampleRate);
        const samples = buffer.getChannelData(0);
        for (let i = 0; i < samples.length; i++) samples[i] = 0.5 * Math.cos(i * 0.2) * Math.exp(-i / 400);
        const source = new AudioBufferSourceNode(context, { buffer });
        connect.call(source, ${mixer}, 0, ${input});
        source.start(Math.max(0, (atMs + latenciesMs[device]) / 1000 + middle()));
      };
      const devices = latenciesMs.map(() => ({ tick: 0, playing: false }));
      window.standIn.onSend = (bytes, atMs, portId) => {
        const number = Number(portId.slice('attic-'.length)) - 1;
        const device = devices[number];
        if (!device) return;
        if (bytes[0] === 0xf2 && !device.playing) device.tick = 6 * (bytes[1] + 128 * bytes[2]);
        if (bytes[0] === 0xfa) device.tick = 0;
        if (bytes[0] === 0xfa || bytes[0] === 0xfb) device.playing = true;
        if (bytes[0] === 0xfc) device.playing = false;
        if (bytes[0] === 0xf8 && device.playing && device.tick++ % 24 === 0) burst(atMs, number);
        if ((bytes[0] & 0xf0) === 0x90 && bytes[2] > 0) burst(atMs, number);
      };`;

/**
 * An acoustic loop inside the page: the app's audio output comes back on input 1 after `cableMs`, and a device on the
 * MIDI port plays a burst on input 2, `latencyMs` after each quarter note of the clock or each note; further latencies
 * are those of devices on further ports and inputs. It maps port times to audio time on its own, with nothing from the
 * app.
 */
export function withLoop(
  driver: WebDriver,
  { cableMs, latencyMs }: { cableMs: number; latencyMs: number | number[] },
): Promise<void> {
  return beforeApp(
    driver,
    `(() => {
      const latenciesMs = ${JSON.stringify([latencyMs].flat())};
      const inputs = 1 + latenciesMs.length;
      const RealContext = window.AudioContext;
      const connect = AudioNode.prototype.connect;
      let context = null, cable, merger, stream, tap;
      window.AudioContext = class extends RealContext {
        constructor(options) {
          super(options);
          if (context) return;
          context = this;
          merger = new ChannelMergerNode(this, { numberOfInputs: inputs });
          cable = new DelayNode(this, { delayTime: ${cableMs} / 1000 });
          connect.call(cable, merger, 0, 0);
          const bus = new MediaStreamAudioDestinationNode(this, { channelCount: inputs, channelCountMode: 'explicit', channelInterpretation: 'discrete' });
          connect.call(merger, bus);
          stream = bus.stream;
          setInterval(read, 40);
          // What leaves the speakers, for tests that listen.
          tap = this.createScriptProcessor(4096, 1, 1);
          connect.call(tap, this.destination);
          tap.onaudioprocess = ({ inputBuffer }) =>
            window.standIn.heard?.push(...inputBuffer.getChannelData(0));
        }
      };
      AudioNode.prototype.connect = function (target, ...rest) {
        if (context && target === context.destination) {
          connect.call(this, cable);
          connect.call(this, tap);
        }
        return connect.call(this, target, ...rest);
      };
      ${devicesOf('merger', '1 + device')}
      navigator.mediaDevices.getUserMedia = async () => stream;
    })();`,
  );
}

/**
 * The page's sound on two sides: what the app plays on the left, and on the right the devices of all MIDI ports, mixed,
 * each with a burst `latenciesMs` after each quarter note of its clock or each note. For a real audio server, whose input
 * hears both.
 */
export function withSides(driver: WebDriver, latenciesMs: number[]): Promise<void> {
  return beforeApp(
    driver,
    `(() => {
      const latenciesMs = ${JSON.stringify(latenciesMs)};
      const RealContext = window.AudioContext;
      const connect = AudioNode.prototype.connect;
      let context = null, sides;
      window.AudioContext = class extends RealContext {
        constructor(options) {
          super(options);
          if (context) return;
          context = this;
          sides = new ChannelMergerNode(this, { numberOfInputs: 2 });
          connect.call(sides, this.destination);
          setInterval(read, 40);
        }
      };
      AudioNode.prototype.connect = function (target, ...rest) {
        return context && target === context.destination ? connect.call(this, sides, 0, 0) : connect.call(this, target, ...rest);
      };
      ${devicesOf('sides', '1')}
    })();`,
  );
}

/** All records of a table in the app's own store, demo and own data. */
export function stored<T>(driver: WebDriver, table: string): Promise<T[]> {
  return driver.executeAsyncScript<T[]>(
    `const done = arguments[arguments.length - 1];
     const all = (name) => new Promise((resolve) => {
       const open = indexedDB.open(name);
       open.onsuccess = () => {
         if (!open.result.objectStoreNames.contains('${table}')) { open.result.close(); resolve([]); return; }
         const rows = open.result.transaction('${table}').objectStore('${table}').getAll();
         rows.onsuccess = () => { open.result.close(); resolve(rows.result); };
       };
     });
     indexedDB.databases()
       .then((found) => Promise.all(found.map(({ name }) => all(name))))
       .then((lists) => done(lists.flat()));`,
  );
}

/** Adds a record to a table of the demo. */
export function put(driver: WebDriver, table: string, record: object): Promise<void> {
  return driver.executeAsyncScript<undefined>(
    `const [record, done] = arguments;
     const open = indexedDB.open('metronomo-demo');
     open.onsuccess = () => {
       const change = open.result.transaction('${table}', 'readwrite');
       change.objectStore('${table}').put(record);
       change.oncomplete = () => { open.result.close(); done(); };
     };`,
    record,
  );
}

/** Removes records from a table of the demo by the value of a field. */
export function remove(driver: WebDriver, table: string, field: string, value: string): Promise<void> {
  return driver.executeAsyncScript<undefined>(
    `const [field, value, done] = arguments;
     const open = indexedDB.open('metronomo-demo');
     open.onsuccess = () => {
       const change = open.result.transaction('${table}', 'readwrite');
       const rows = change.objectStore('${table}').getAll();
       rows.onsuccess = () => {
         for (const row of rows.result) if (row[field] === value) change.objectStore('${table}').delete(row.id);
       };
       change.oncomplete = () => { open.result.close(); done(); };
     };`,
    field,
    value,
  );
}

/** Seconds of audio stored for a take of the demo. */
export function soundSeconds(driver: WebDriver, takeId: string): Promise<number> {
  return driver.executeAsyncScript<number>(
    `const [takeId, done] = arguments;
     const open = indexedDB.open('metronomo-demo');
     open.onsuccess = () => {
       const range = IDBKeyRange.bound([takeId, 0], [takeId, Infinity]);
       const rows = open.result.transaction('sound').objectStore('sound').getAll(range);
       rows.onsuccess = () => {
         open.result.close();
         done(rows.result.reduce((sum, { channels }) => sum + channels[0].length, 0) / 48000);
       };
     };`,
    takeId,
  );
}

/** Lets a test end a worker by its name, as a crash would: `workers.hub.terminate()`. */
export function withMortalWorkers(driver: WebDriver): Promise<void> {
  return beforeApp(
    driver,
    `(() => {
      window.workers = {};
      window.Worker = class extends Worker {
        constructor(url, options) {
          super(url, options);
          window.workers[options.name] = this;
        }
      };
    })()`,
  );
}
