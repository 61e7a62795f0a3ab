import type { Server } from 'node:http';
import { connect } from 'node:net';
import { request } from 'node:http';
import {
  decodeFrame,
  encodeFrame,
  type WireFrame,
  TOKEN_HEADER,
  TOKEN_PROTOCOL_PREFIX,
  WIRE_PATH,
  WIRE_PROTOCOL,
} from '@metronomo/core';
import pino from 'pino';
import { WebSocket } from 'ws';
import { createApp } from '../app';
import { listen, shutDown } from '../listen';
import { openDoor } from './door';
import { Guard } from './guard';
import { Network, type NetworkListener } from './network';
import { StandInPeer } from './stand-in-peer';
import { until } from './until';

const logger = pino({ level: 'silent' });
let server: Server;
let url: string;
let network: Network;
let peer: StandInPeer;
let door: { close(): void };
const guard = new Guard();

beforeAll(async () => {
  network = await Network.open({ name: 'Boathouse', hosts: ['127.0.0.1'], port: 0, logger });
  peer = await StandInPeer.open(logger);
  const parts = { network, problem: null, discovery: null, known: [peer.place], guard };
  ({ server, url } = await listen(createApp({ webRoot: '/', version: '1', logger, network: parts }), 0, '127.0.0.1'));
  door = openDoor(server, network, guard, logger);
});
afterAll(async () => {
  door.close();
  peer.close();
  network.close();
  await shutDown(server);
});

const ask = async (
  method: string,
  path: string,
  body?: unknown,
  headers: Record<string, string> = { [TOKEN_HEADER]: guard.token },
) => {
  const json =
    body === undefined
      ? {}
      : { body: JSON.stringify(body), headers: { ...headers, 'content-type': 'application/json' } };
  const response = await fetch(`${url}/api/network${path}`, { method, headers, ...json });
  return {
    status: response.status,
    body: (response.status === 204 ? null : await response.json()) as { id: string } & { length: number } & object[],
  };
};

/** Whether a WebSocket connection is accepted; closes it again. */
const letIn = (protocols: string[], origin: string, path = WIRE_PATH) =>
  new Promise<boolean>((resolve) => {
    const socket = new WebSocket(url.replace('http', 'ws') + path, protocols, { origin });
    socket.on('open', () => {
      socket.close();
      resolve(true);
    });
    socket.on('error', () => resolve(false));
  });

test('the WebSocket accepts the app’s own origin with the token, and nobody else', async () => {
  const good = [WIRE_PROTOCOL, TOKEN_PROTOCOL_PREFIX + guard.token];
  expect(await letIn(good, url)).toBe(true);
  expect(await letIn(good, 'http://elsewhere.example')).toBe(false);
  expect(await letIn(good, url.replace(/\d+$/, '1'))).toBe(false);
  expect(await letIn([WIRE_PROTOCOL], url)).toBe(false);
  expect(await letIn([WIRE_PROTOCOL, TOKEN_PROTOCOL_PREFIX + '0'.repeat(64)], url)).toBe(false);
  expect(await letIn(good, url, '/api/other')).toBe(false);
});

test('a page of another scheme on the same host isn’t our own', async () => {
  const good = [WIRE_PROTOCOL, TOKEN_PROTOCOL_PREFIX + guard.token];
  for (const scheme of ['https', 'ftp', 'chrome-extension'])
    expect(await letIn(good, url.replace('http', scheme))).toBe(false);
});

/** Opens a connection, sends the bytes, and resets it at once. */
const sendAndReset = (bytes: string) =>
  new Promise<void>((resolve) => {
    const { hostname, port } = new URL(url);
    const socket = connect(Number(port), hostname, () => {
      socket.write(bytes, () => socket.resetAndDestroy());
    });
    socket.on('error', () => undefined);
    socket.on('close', () => resolve());
  });

test('connections reset in the middle of an upgrade, accepted or not, leave the server running', async () => {
  const upgrade = (path: string) =>
    `GET ${path} HTTP/1.1\r\nHost: ${new URL(url).host}\r\nConnection: Upgrade\r\nUpgrade: websocket\r\nOrigin: ${url}\r\n` +
    `Sec-WebSocket-Version: 13\r\nSec-WebSocket-Key: AAAAAAAAAAAAAAAAAAAAAA==\r\n` +
    `Sec-WebSocket-Protocol: ${WIRE_PROTOCOL}, ${TOKEN_PROTOCOL_PREFIX}${guard.token}\r\n\r\n`;
  for (let i = 0; i < 200; i++) {
    const whole = upgrade(i % 2 === 0 ? WIRE_PATH : '/api/other');
    await sendAndReset(i < 100 ? whole : whole.slice(0, (37 * i) % whole.length));
  }
  expect(await letIn([WIRE_PROTOCOL, TOKEN_PROTOCOL_PREFIX + guard.token], url)).toBe(true);
});

test('what a peer sends in one go reaches the browser in as many frames as it takes', async () => {
  const listeners: NetworkListener[] = [];
  const busy = { listen: (one: NetworkListener | null) => one && listeners.push(one), sessions: () => [] };
  const other = await listen(createApp({ webRoot: '/', version: '1', logger }), 0, '127.0.0.1');
  const otherDoor = openDoor(other.server, busy as unknown as Network, guard, logger);
  const socket = new WebSocket(
    other.url.replace('http', 'ws') + WIRE_PATH,
    [WIRE_PROTOCOL, TOKEN_PROTOCOL_PREFIX + guard.token],
    { origin: other.url },
  );
  const received: number[] = [];
  socket.on('message', (data: Buffer) => {
    const frame = decodeFrame(data);
    if (frame?.kind === 'messages') received.push(...frame.messages.map(({ atMs }) => atMs));
  });
  await new Promise((resolve) => socket.once('open', resolve));
  const messages = Array.from({ length: 60_000 }, (_, atMs) => ({
    sessionId: 's1',
    atMs,
    bytes: new Uint8Array(30).fill(1),
  }));
  listeners[0]!.messages(messages);
  await until(() => received.length === messages.length || null);
  expect(received).toEqual(messages.map(({ atMs }) => atMs));
  socket.terminate();
  otherDoor.close();
  await shutDown(other.server);
});

test('nothing changes without the token; other hosts and sites get no information', async () => {
  const invitation = { ...peer.place, key: 'jetty' };
  expect((await ask('POST', '/sessions', invitation, {})).status).toBe(403);
  expect((await ask('DELETE', '/sessions/s1', undefined, { [TOKEN_HEADER]: 'x' })).status).toBe(403);
  expect((await ask('GET', '/token', undefined, { 'sec-fetch-site': 'cross-site' })).status).toBe(403);
  const { hostname, port } = new URL(url);
  const status = await new Promise<number>((resolve) => {
    const headers = { host: `rebound.example:${port}` };
    request({ hostname, port, path: '/api/network/token', headers }, (response) =>
      resolve(response.resume().statusCode ?? 0),
    ).end();
  });
  expect(status).toBe(403);
  const health = await new Promise<number>((resolve) => {
    request({ hostname, port, path: '/api/health', headers: { host: `rebound.example:${port}` } }, (response) =>
      resolve(response.resume().statusCode ?? 0),
    ).end();
  });
  expect(health).toBe(403);
});

test('invalid requests are rejected with a message', async () => {
  const invitation = { ...peer.place, key: 'jetty' };
  expect(await ask('POST', '/sessions', { ...invitation, port: 70_000 })).toMatchObject({ status: 422 });
  expect(await ask('POST', '/sessions', { ...invitation, key: 'No spaces' })).toMatchObject({ status: 422 });
  expect(await ask('POST', '/sessions', { ...invitation, address: '<b>' })).toMatchObject({ status: 422 });
  expect((await ask('POST', '/sessions', { ...invitation, name: 'x'.repeat(6000) })).status).toBe(413);
  expect((await ask('POST', '/sessions/s99/accept', { key: 'a' })).status).toBe(409);
  expect((await ask('GET', '/sessions/s99/exchanges')).status).toBe(404);
});

test('a browser plays with the stand-in tablet: invited over REST, sending and receiving over the WebSocket', async () => {
  const socket = new WebSocket(
    url.replace('http', 'ws') + WIRE_PATH,
    [WIRE_PROTOCOL, TOKEN_PROTOCOL_PREFIX + guard.token],
    { origin: url },
  );
  const frames: WireFrame[] = [];
  socket.on('message', (data: Buffer) => frames.push(decodeFrame(data)!));
  await new Promise((resolve) => socket.once('open', resolve));
  const found = await ask('GET', '/peers');
  expect(found.body).toEqual([peer.place]);
  const { body } = await ask('POST', '/sessions', { ...peer.place, key: 'jetty', bufferMs: 40 });
  const line = await until(() =>
    frames
      .flatMap((frame) => (frame.kind === 'lines' ? frame.lines : []))
      .find(({ key, open }) => key === 'jetty' && open),
  );
  const ticks = () =>
    frames
      .flatMap((frame) => (frame.kind === 'messages' ? frame.messages : []))
      .filter(({ bytes }) => bytes[0] === 0xf8);
  await until(() => ticks().length > 30 || null);
  expect(ticks()[0]!.line).toBe(line.line);
  socket.send(encodeFrame({ kind: 'ask', sentMs: 1.5 }));
  const answered = await until(() => frames.find((frame) => frame.kind === 'answer'));
  expect(answered).toMatchObject({ sentMs: 1.5 });
  socket.send(
    encodeFrame({ kind: 'messages', messages: [{ line: line.line, atMs: network.now(), bytes: Uint8Array.of(0xf8) }] }),
  );
  await until(() => network.sessions().some(({ sent }) => sent === 1) || null);
  // More clock exchanges for a while.
  expect((await ask('POST', `/sessions/${body.id}/probe`, { forMs: 5000 })).status).toBe(204);
  expect((await ask('GET', `/sessions/${body.id}/exchanges`)).body.length).toBeGreaterThan(5);
  expect((await ask('PATCH', `/sessions/${body.id}`, { bufferMs: 60 })).status).toBe(204);
  expect((await ask('GET', '/sessions')).body[0]).toMatchObject({
    key: 'jetty',
    bufferMs: 60,
    state: 'open',
    name: 'Jetty tablet',
  });
  // An invalid frame closes the connection, not the session.
  socket.send('text');
  await new Promise((resolve) => socket.once('close', resolve));
  expect((await ask('DELETE', `/sessions/${body.id}`)).status).toBe(204);
  expect((await ask('GET', '/sessions')).body[0]).toMatchObject({ state: 'ended', reason: 'Ended here' });
});

test('health lists open sessions', async () => {
  const health = await (await fetch(`${url}/api/health`)).json();
  expect(health).toMatchObject({ ok: true, network: 'open', openSessions: 0 });
});

test('an invitation needs no name', async () => {
  const { status, body } = await ask('POST', '/sessions', { address: '127.0.0.1', port: 9, key: 'nobody' });
  expect(status).toBe(201);
  expect((await ask('DELETE', `/sessions/${body.id}`)).status).toBe(204);
});
