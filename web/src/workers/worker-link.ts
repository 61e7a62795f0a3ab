import * as Comlink from 'comlink';

/** A worker stopped before it could answer. */
export class WorkerLostError extends Error {
  override readonly name = 'WorkerLostError';
}

/** What every worker offers so that its end is noticed at once. */
export interface Lifeline {
  /** Holds this Web Lock until the worker ends; resolves once it is held. */
  holdLifeline(lock: string): Promise<void>;
  /** Answers at once, unless the worker hangs. */
  heartbeat(): void;
}

interface LinkOptions<Api> {
  /** As named in messages: "hub". */
  name: string;
  make(): Worker;
  /** Called with each new worker before anyone else may use it; `before` is why the previous one was lost. */
  setUp(api: Comlink.Remote<Api>, before: string | null): Promise<void>;
  /** Called at once when it is lost; `again` is false if it won't be started again. */
  onLost(why: string, again: boolean): void;
  /** Calls that compute for longer than a heartbeat may be missing. */
  longCalls?: readonly (keyof Api & string)[];
}

const HEARTBEAT_MS = 500;
/** Without a heartbeat for this long, a worker hangs. */
const HUNG_AFTER_MS = 2000;
/** The same during a long call: an hour of audio on a slow computer. */
const HUNG_IN_LONG_CALL_MS = 60_000;
/** More losses than this within that time aren't bad luck. */
const MAX_LOSSES = 3;
const WITHIN_MS = 30_000;

type Method = (...args: unknown[]) => unknown;

/**
 * A worker that is started again when it crashes. Calls wait while it is being started; those under way when it is lost
 * are rejected with a WorkerLostError, so that nothing waits for ever.
 */
export class WorkerLink<Api extends object> {
  /** Its calls. A rejection that the caller doesn't handle is ignored. */
  readonly api: Comlink.Remote<Api & Lifeline>;
  readonly #options: LinkOptions<Api>;
  readonly #unanswered = new Set<(error: Error) => void>();
  #worker: Worker | null = null;
  #ready: PromiseWithResolvers<Comlink.Remote<Api>> = deferred();
  #lossesMs: number[] = [];
  #loaded = false;
  #started: Promise<void> | null = null;
  #pageEnds = false;
  #longCalls = 0;

  constructor(options: LinkOptions<Api>) {
    this.#options = options;
    const call = (_: object, method: string | symbol) =>
      // Awaiting the link itself must not call a method named "then".
      method === 'then' ? undefined : (...args: unknown[]) => this.#call(String(method), args);
    this.api = new Proxy({}, { get: call }) as Comlink.Remote<Api & Lifeline>;
  }

  /**
   * Starts it now instead of with the first call.
   * @throws WorkerLostError if the worker can't be loaded.
   */
  start(): Promise<void> {
    if (!this.#started) {
      // The browser ends the workers of a page that is left: that is no loss, and there is nothing to start again.
      globalThis.addEventListener?.('pagehide', () => (this.#pageEnds = true));
      globalThis.addEventListener?.('pageshow', () => (this.#pageEnds = false));
      this.#started = this.#begin(null);
    }
    return this.#started;
  }

  async #begin(before: string | null): Promise<void> {
    const { make, setUp } = this.#options;
    const worker = make();
    this.#worker = worker;
    const failed = new Promise<never>((_, reject) => {
      worker.addEventListener('error', (event) => {
        event.preventDefault();
        const why = event.message ? `crashed (${event.message})` : 'couldn’t be loaded';
        reject(this.#lost(why));
        if (this.#loaded) this.#lose(worker, why);
      });
    });
    failed.catch(() => undefined); // Also reported by `lose`.
    const api = Comlink.wrap<Api & Lifeline>(worker);
    await Promise.race([this.#watch(worker, api), failed]);
    this.#loaded = true;
    await Promise.race([setUp(api as Comlink.Remote<Api>, before), failed]);
    if (this.#worker !== worker) throw this.#lost('was lost while it started');
    this.#ready.resolve(api as Comlink.Remote<Api>);
    this.#listen(worker, api);
  }

  /** A worker in an endless loop keeps its lock: only a missing heartbeat tells. */
  #listen(worker: Worker, api: Comlink.Remote<Lifeline>): void {
    let answered = true;
    let unansweredMs = 0;
    // Messages are read in order: only calls made before a heartbeat can delay its answer.
    let patienceMs = HUNG_AFTER_MS;
    const timer = setInterval(() => {
      if (this.#worker !== worker) {
        clearInterval(timer);
        return;
      }
      if (answered) {
        answered = false;
        unansweredMs = 0;
        patienceMs = this.#longCalls > 0 ? HUNG_IN_LONG_CALL_MS : HUNG_AFTER_MS;
        void api.heartbeat().then(() => (answered = true));
        return;
      }
      // However late this timer is: while the window itself stalls, no answer can arrive.
      unansweredMs += HEARTBEAT_MS;
      if (unansweredMs >= patienceMs) this.#lose(worker, 'stopped responding');
    }, HEARTBEAT_MS);
  }

  /** A lock is given back the moment its worker ends, whatever ends it and however busy it was. */
  async #watch(worker: Worker, api: Comlink.Remote<Lifeline>): Promise<void> {
    const lock = `metronomo ${this.#options.name} ${crypto.randomUUID()}`;
    await api.holdLifeline(lock);
    if (!('locks' in navigator)) return;
    void navigator.locks.request(lock, () => this.#lose(worker, 'stopped'));
  }

  #lose(worker: Worker, why: string): void {
    if (this.#worker !== worker || this.#pageEnds) return;
    worker.terminate();
    this.#worker = null;
    const error = this.#lost(why);
    const now = performance.now();
    this.#lossesMs = [...this.#lossesMs.filter((ms) => now - ms < WITHIN_MS), now];
    const again = this.#lossesMs.length <= MAX_LOSSES;
    this.#ready = deferred();
    this.#rejectAll(error);
    this.#options.onLost(error.message, again);
    if (!again) {
      this.#ready.reject(error);
      return;
    }
    this.#begin(error.message).catch((failure: unknown) => {
      this.#options.onLost(failure instanceof Error ? failure.message : error.message, false);
      this.#ready.reject(error);
    });
  }

  #lost(why: string): WorkerLostError {
    return new WorkerLostError(`The ${this.#options.name} ${why}.`);
  }

  #rejectAll(error: Error): void {
    for (const reject of this.#unanswered) reject(error);
    this.#unanswered.clear();
  }

  #call(method: string, args: unknown[]): Promise<unknown> {
    const long = this.#options.longCalls?.some((name) => name === method) ? 1 : 0;
    this.#longCalls += long;
    this.start().catch((error: unknown) => this.#ready.reject(error));
    const answer = new Promise((resolve, reject) => {
      this.#unanswered.add(reject);
      this.#ready.promise
        .then((api) => (api as unknown as Record<string, Method>)[method]?.(...args))
        .then(resolve, reject)
        .finally(() => this.#unanswered.delete(reject));
    });
    const ended = () => (this.#longCalls -= long);
    answer.then(ended, ended);
    answer.catch(() => undefined);
    return answer;
  }
}

/** Promise.withResolvers, which Node 20 lacks. */
interface PromiseWithResolvers<Value> {
  promise: Promise<Value>;
  resolve(value: Value): void;
  reject(reason: unknown): void;
}

function deferred<Value>(): PromiseWithResolvers<Value> {
  let resolve: (value: Value) => void = () => undefined;
  let reject: (reason: unknown) => void = () => undefined;
  const promise = new Promise<Value>((does, doesNot) => {
    resolve = does;
    reject = doesNot;
  });
  promise.catch(() => undefined); // Whoever waits for it is told.
  return { promise, resolve, reject };
}
