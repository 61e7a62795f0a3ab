import type { WebDriver } from 'selenium-webdriver';
import WebSocket from 'ws';

interface Reply {
  id?: number;
  method?: string;
  params?: { sessionId: string; targetInfo: { type: string; title: string; url: string } } & { chunk: string };
  result?: Record<string, unknown>;
  error?: { message: string };
}

/** The DevTools protocol to the page and its workers, which the WebDriver alone doesn't reach. */
export class DevTools {
  readonly #socket: WebSocket;
  readonly #replies = new Map<number, (reply: Reply) => void>();
  readonly #workers = new Map<string, string>();
  #chunks: string[] = [];
  #lastId = 0;

  private constructor(socket: WebSocket) {
    this.#socket = socket;
    socket.on('message', (data: Buffer) => {
      const reply = JSON.parse(data.toString()) as Reply;
      if (reply.id !== undefined) this.#replies.get(reply.id)?.(reply);
      if (reply.method === 'HeapProfiler.addHeapSnapshotChunk' && reply.params) this.#chunks.push(reply.params.chunk);
      if (reply.method === 'Target.attachedToTarget' && reply.params) {
        const { sessionId, targetInfo } = reply.params;
        if (targetInfo.type === 'worker') this.#workers.set(workerName(targetInfo.url), sessionId);
      }
    });
  }

  /** Of the page that is open now: attached again after each load. */
  static async open(driver: WebDriver): Promise<DevTools> {
    const options = (await driver.getCapabilities()).get('goog:chromeOptions') as { debuggerAddress: string };
    const targets = (await (await fetch(`http://${options.debuggerAddress}/json/list`)).json()) as {
      type: string;
      webSocketDebuggerUrl: string;
    }[];
    const page = targets.find(({ type }) => type === 'page');
    if (!page) throw new Error('No page is open.');
    const socket = new WebSocket(page.webSocketDebuggerUrl);
    await new Promise((resolve, reject) => socket.once('open', resolve).once('error', reject));
    const tools = new DevTools(socket);
    await tools.send('Target.setAutoAttach', { autoAttach: true, waitForDebuggerOnStart: false, flatten: true });
    return tools;
  }

  /** `sessionId`: of a worker; the page without. */
  send(method: string, params: object = {}, sessionId?: string): Promise<Record<string, unknown>> {
    const id = ++this.#lastId;
    return new Promise((resolve, reject) => {
      this.#replies.set(id, ({ result, error }) => {
        this.#replies.delete(id);
        if (error) reject(new Error(`${method}: ${error.message}`));
        else resolve(result ?? {});
      });
      this.#socket.send(JSON.stringify({ id, method, params, sessionId }));
    });
  }

  /**
   * An endless loop in the worker of this name (`hub`, `measure`, `files`), in a task of its own: one that the inspector
   * evaluates outlives `terminate`, and keeps a core busy for good.
   */
  async hang(worker: string): Promise<void> {
    const expression = 'setTimeout(() => { for (;;); }); 0';
    await this.send('Runtime.evaluate', { expression }, this.#session(worker));
  }

  /** Bytes of script objects that are still in use, of the page and each worker. */
  async heaps(): Promise<Record<string, number>> {
    const heaps: Record<string, number> = {};
    for (const [name, session] of [['page', undefined] as const, ...this.#workers]) {
      await this.send('HeapProfiler.enable', {}, session);
      // Twice: finalizers of the first run free more.
      for (let i = 0; i < 2; i++) await this.send('HeapProfiler.collectGarbage', {}, session);
      heaps[name] = Number((await this.send('Runtime.getHeapUsage', {}, session)).usedSize);
      await this.send('HeapProfiler.disable', {}, session);
    }
    return heaps;
  }

  /**
   * Bytes that the page holds, by kind of object: compiled code grows for as long as something is called that wasn't
   * called before, and is no leak. Holds the page for a second.
   */
  async heapByKind(): Promise<Map<string, number>> {
    this.#chunks = [];
    await this.send('HeapProfiler.enable');
    await this.send('HeapProfiler.collectGarbage');
    await this.send('HeapProfiler.takeHeapSnapshot', { reportProgress: false });
    await this.send('HeapProfiler.disable');
    const { snapshot, nodes, strings } = JSON.parse(this.#chunks.join('')) as HeapSnapshot;
    this.#chunks = [];
    const { node_fields: fields, node_types: types } = snapshot.meta;
    const [type, name, size] = ['type', 'name', 'self_size'].map((field) => fields.indexOf(field));
    const kinds = new Map<string, number>();
    for (let at = 0; at < nodes.length; at += fields.length) {
      const kind = types[0]?.[nodes[at + (type ?? 0)] ?? 0] ?? '';
      const named = kind === 'object' || kind === 'closure' || kind === 'native';
      const key = named ? `${kind} ${strings[nodes[at + (name ?? 0)] ?? 0]?.slice(0, 60)}` : kind;
      kinds.set(key, (kinds.get(key) ?? 0) + (nodes[at + (size ?? 0)] ?? 0));
    }
    return kinds;
  }

  /** DOM nodes, event listeners and documents of the page. */
  async counters(): Promise<{ nodes: number; jsEventListeners: number; documents: number }> {
    return (await this.send('Memory.getDOMCounters')) as { nodes: number; jsEventListeners: number; documents: number };
  }

  close(): void {
    this.#socket.close();
  }

  #session(worker: string): string {
    const session = this.#workers.get(worker);
    if (session === undefined)
      throw new Error(`No worker ${worker}; there are ${[...this.#workers.keys()].join(', ')}.`);
    return session;
  }
}

/** As V8 serializes it: nodes are rows of numbers. */
interface HeapSnapshot {
  snapshot: { meta: { node_fields: string[]; node_types: [string[]] } };
  nodes: number[];
  strings: string[];
}

/** From its script: `/assets/hub.worker-B3x9.js`. */
function workerName(url: string): string {
  return /([\w-]+)\.worker/.exec(url)?.[1] ?? url;
}
