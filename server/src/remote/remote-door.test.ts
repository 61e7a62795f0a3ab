import type { Server } from 'node:http';
import { REMOTE_HOST_PROTOCOL, REMOTE_PATH, REMOTE_PROTOCOL, TOKEN_PROTOCOL_PREFIX } from '@metronomo/core';
import pino from 'pino';
import { WebSocket } from 'ws';
import { createApp } from '../app';
import { listen, shutDown } from '../listen';
import { Guard } from '../network/guard';
import { until } from '../network/until';
import { openRemoteDoor } from './remote-door';

const logger = pino({ level: 'silent' });
const guard = new Guard();
let server: Server;
let url: string;
let door: { close(): void };

beforeAll(async () => {
  ({ server, url } = await listen(createApp({ webRoot: '.', version: '0', logger }), 0, '127.0.0.1'));
  door = openRemoteDoor(server, guard, logger);
});
afterAll(async () => {
  door.close();
  await shutDown(server);
});

const connect = (protocol: string, { token = guard.token, origin = url } = {}) => {
  const socket = new WebSocket(url.replace('http', 'ws') + REMOTE_PATH, [protocol, TOKEN_PROTOCOL_PREFIX + token], {
    origin,
  });
  const heard: Record<string, unknown>[] = [];
  let closed = false;
  socket.on('message', (data: Buffer) => heard.push(JSON.parse(data.toString()) as Record<string, unknown>));
  socket.on('close', () => (closed = true));
  socket.on('error', () => (closed = true));
  const opened = new Promise((resolve) => socket.once('open', resolve));
  return { socket, heard, opened, isClosed: () => closed };
};

test('what the hub says reaches every remote, and what a remote says reaches the hub with its number', async () => {
  const host = connect(REMOTE_HOST_PROTOCOL);
  await host.opened;
  const [one, two] = [connect(REMOTE_PROTOCOL), connect(REMOTE_PROTOCOL)];
  await Promise.all([one.opened, two.opened]);
  await until(() => host.heard.filter(({ joined }) => joined).length === 2 || null);
  host.socket.send(JSON.stringify({ kind: 'state', beat: 3 }));
  await until(() => (one.heard.length > 0 && two.heard.length > 0) || null);
  expect([one.heard.at(-1), two.heard.at(-1)]).toEqual([
    { kind: 'state', beat: 3 },
    { kind: 'state', beat: 3 },
  ]);
  two.socket.send('pressed');
  const said = await until(() => host.heard.find(({ said }) => said));
  expect(said['said']).toBe('pressed');
  two.socket.close();
  const left = await until(() => host.heard.find(({ left }) => left));
  expect(left['remote']).toBe(said['remote']);
  host.socket.close();
  await until(() => one.heard.find(({ kind }) => kind === 'hubGone'));
  one.socket.close();
});

test('without the token, or from a foreign page, nobody gets in', async () => {
  for (const settings of [{ token: 'x' }, { origin: 'http://elsewhere.example' }]) {
    const { isClosed, heard } = connect(REMOTE_PROTOCOL, settings);
    await until(() => isClosed() || null);
    expect(heard).toEqual([]);
  }
});

test('a remote that floods, or sends bytes, is disconnected; the hub stays', async () => {
  const host = connect(REMOTE_HOST_PROTOCOL);
  await host.opened;
  const flood = connect(REMOTE_PROTOCOL);
  await flood.opened;
  for (let i = 0; i < 300; i++) flood.socket.send('x');
  const bytes = connect(REMOTE_PROTOCOL);
  await bytes.opened;
  bytes.socket.send(Uint8Array.of(1, 2));
  await until(() => (flood.isClosed() && bytes.isClosed()) || null);
  expect(host.isClosed()).toBe(false);
  expect(host.heard.filter(({ said }) => said).length).toBeLessThanOrEqual(100);
  host.socket.close();
});

test('nine remotes are one too many: the oldest makes room', async () => {
  const remotes = Array.from({ length: 9 }, () => connect(REMOTE_PROTOCOL));
  await Promise.all(remotes.map(({ opened }) => opened));
  await until(() => remotes.some(({ isClosed }) => isClosed()) || null);
  expect(remotes.filter(({ isClosed }) => isClosed())).toHaveLength(1);
  for (const { socket } of remotes) socket.close();
});
