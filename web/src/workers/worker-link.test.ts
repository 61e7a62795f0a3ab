import * as Comlink from 'comlink';
import { WorkerLink, WorkerLostError } from './worker-link';

interface Api {
  add(a: number, b: number): number;
  never(): Promise<void>;
  heartbeat(): void;
}

/** Web Locks for one page and its workers: a lock is given back when the worker that holds it ends. */
class Locks {
  readonly waiting = new Map<string, () => void>();
  request(name: string, granted: () => void): Promise<void> {
    this.waiting.set(name, granted);
    return Promise.resolve();
  }
}

/** A worker in this thread. */
class FakeWorker extends EventTarget {
  static made: FakeWorker[] = [];
  lock = '';
  ended = false;
  /** As in an endless loop: no message is read any more. */
  hangs = false;
  readonly #port: MessagePort;
  readonly #inside: MessagePort;

  constructor({ loads = true } = {}) {
    super();
    const { port1, port2 } = new MessageChannel();
    this.#port = port1;
    this.#inside = port2;
    port1.addEventListener('message', ({ data }) => this.dispatchEvent(new MessageEvent('message', { data })));
    port1.start();
    const api = {
      holdLifeline: (lock: string) => void (this.lock = lock),
      add: (a: number, b: number) => a + b,
      never: () => new Promise(() => undefined),
      heartbeat: () => undefined,
    };
    if (loads) Comlink.expose(api, port2 as never);
    else setTimeout(() => this.dispatchEvent(new Event('error')));
    FakeWorker.made.push(this);
  }

  postMessage(message: unknown, handedOver: Transferable[] = []): void {
    if (this.hangs) return;
    this.#port.postMessage(message, handedOver);
  }

  start(): void {
    // Comlink starts its endpoint.
  }

  terminate(): void {
    if (this.ended) return;
    this.ended = true;
    this.#port.close();
    this.#inside.close();
    setTimeout(() => locks.waiting.get(this.lock)?.());
  }
}

let locks: Locks;
beforeEach(() => {
  // The heartbeat's interval would keep Jest waiting.
  jest.useFakeTimers({
    doNotFake: ['setTimeout', 'setImmediate', 'queueMicrotask', 'nextTick', 'performance', 'Date'],
  });
  locks = new Locks();
  FakeWorker.made = [];
  Object.defineProperty(globalThis, 'navigator', { value: { locks }, configurable: true });
});

afterEach(() => FakeWorker.made.forEach((worker) => worker.terminate()));

function linked(make = () => new FakeWorker()) {
  const lost: [string, boolean][] = [];
  const setUps: (string | null)[] = [];
  const link = new WorkerLink<Api>({
    name: 'hub',
    make: make as never,
    longCalls: ['never'],
    setUp: (_, before) => Promise.resolve(void setUps.push(before)),
    onLost: (...why) => lost.push(why),
  });
  return { link, lost, setUps };
}
const settled = () => new Promise((resolve) => setTimeout(resolve, 20));

test('a call starts the worker; one that is ended is replaced, and its calls under way are rejected', async () => {
  const { link, lost, setUps } = linked();
  expect(await link.api.add(1, 2)).toBe(3);
  const waits = link.api.never();
  FakeWorker.made[0]!.terminate();
  await expect(waits).rejects.toThrow(WorkerLostError);
  expect(await link.api.add(3, 4)).toBe(7);
  expect(lost).toEqual([['The hub stopped.', true]]);
  expect(setUps).toEqual([null, 'The hub stopped.']);
  expect(FakeWorker.made).toHaveLength(2);
});

test('an error that nobody caught inside counts as a crash, with its message', async () => {
  const { link, lost } = linked();
  await link.start();
  FakeWorker.made[0]!.dispatchEvent(Object.assign(new Event('error'), { message: 'out of range' }));
  expect(await link.api.add(1, 1)).toBe(2);
  expect(lost).toEqual([['The hub crashed (out of range).', true]]);
  expect(FakeWorker.made[0]!.ended).toBe(true);
});

test('a worker that can’t be loaded fails the start with its name, and every call', async () => {
  const { link } = linked(() => new FakeWorker({ loads: false }));
  await expect(link.start()).rejects.toThrow('The hub couldn’t be loaded.');
  await expect(link.api.add(1, 1)).rejects.toThrow('The hub couldn’t be loaded.');
});

test('one that keeps crashing isn’t started for ever', async () => {
  const { link, lost } = linked();
  await link.start();
  for (let i = 0; i < 4; i++) {
    FakeWorker.made.at(-1)!.terminate();
    await settled();
  }
  expect(lost.map(([, again]) => again)).toEqual([true, true, true, false]);
  await expect(link.api.add(1, 1)).rejects.toThrow(WorkerLostError);
});

describe('heartbeat', () => {
  beforeEach(() => jest.useFakeTimers({ doNotFake: ['setImmediate', 'queueMicrotask', 'nextTick'] }));
  afterEach(() => jest.useRealTimers());

  const messages = async () => {
    for (let i = 0; i < 4; i++) await new Promise((resolve) => setImmediate(resolve));
  };
  const pass = async (ms: number, stepMs = 500) => {
    for (let at = 0; at < ms; at += stepMs) {
      jest.advanceTimersByTime(stepMs);
      await messages();
    }
  };

  test('a hang is noticed although the window’s own timer is late every time', async () => {
    const { link, lost } = linked();
    await link.start();
    await pass(5000);
    FakeWorker.made[0]!.hangs = true;
    const clock = jest.spyOn(performance, 'now');
    let lateMs = performance.now();
    for (let i = 0; i < 6; i++) {
      lateMs += 2000;
      clock.mockReturnValue(lateMs);
      await pass(500);
    }
    clock.mockRestore();
    expect(lost).toEqual([['The hub stopped responding.', true]]);
  });

  test('a worker that hangs is noticed within 2.5 s and started again; one that answers is left alone', async () => {
    const { link, lost } = linked();
    await link.start();
    await pass(60_000);
    expect(lost).toEqual([]);
    FakeWorker.made[0]!.hangs = true;
    await pass(2500);
    expect(lost).toEqual([['The hub stopped responding.', true]]);
    expect(FakeWorker.made[0]!.ended).toBe(true);
    expect(FakeWorker.made).toHaveLength(2);
  });

  test('a window that stalled doesn’t blame the worker', async () => {
    const { link, lost } = linked();
    await link.start();
    await pass(1000);
    // After each stall, the timer goes off before the answer is read that has been waiting.
    for (let i = 0; i < 5; i++) {
      jest.advanceTimersByTime(1000);
      await messages();
    }
    expect(lost).toEqual([]);
  });

  test('a long call made of a worker that hangs already doesn’t hide that', async () => {
    const { link, lost } = linked();
    await link.start();
    await pass(5000);
    FakeWorker.made[0]!.hangs = true;
    await pass(500);
    void link.api.never();
    await pass(2000);
    expect(lost).toEqual([['The hub stopped responding.', true]]);
  });

  test('a long call may keep it busy for a minute', async () => {
    const { link, lost } = linked();
    await link.start();
    void link.api.never();
    await messages();
    FakeWorker.made[0]!.hangs = true;
    await pass(50_000);
    expect(lost).toEqual([]);
    await pass(15_000);
    expect(lost).toHaveLength(1);
  });
});
