import { REMOTE_PATH, TOKEN_PROTOCOL_PREFIX } from '@metronomo/core';
import { readToken } from '../network/api';

const AGAIN_MS = 1000;

/** A connection that is opened again after every loss, until it is closed. */
export class Connection {
  readonly #protocol: string;
  readonly #heard: (text: unknown) => void;
  readonly #changed: (open: boolean) => void;
  #socket: WebSocket | null = null;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #closed = false;
  #attempts = 0;

  constructor(protocol: string, heard: (text: unknown) => void, changed: (open: boolean) => void) {
    this.#protocol = protocol;
    this.#heard = heard;
    this.#changed = changed;
    void this.#open();
  }

  /** Dropped while there is no connection: what was pressed then must not happen later. */
  send(message: object): void {
    if (this.#socket?.readyState === WebSocket.OPEN) this.#socket.send(JSON.stringify(message));
  }

  close(): void {
    this.#closed = true;
    clearTimeout(this.#timer);
    this.#socket?.close();
  }

  async #open(): Promise<void> {
    try {
      // The server has another token after a restart.
      const token = await readToken(this.#attempts++ > 0);
      if (this.#closed) return;
      const url = new URL(REMOTE_PATH, window.location.href);
      url.protocol = url.protocol.replace('http', 'ws');
      const socket = new WebSocket(url, [this.#protocol, TOKEN_PROTOCOL_PREFIX + token]);
      this.#socket = socket;
      socket.onopen = () => this.#changed(true);
      socket.onmessage = ({ data }) => this.#heard(data);
      socket.onclose = () => {
        this.#changed(false);
        this.#again();
      };
    } catch {
      this.#again();
    }
  }

  #again(): void {
    if (!this.#closed) this.#timer = setTimeout(() => void this.#open(), AGAIN_MS);
  }
}
