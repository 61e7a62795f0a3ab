import { mkdtempSync, writeFileSync, mkdirSync } from 'node:fs';
import { request } from 'node:http';
import type { Server } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pino from 'pino';
import { createApp } from './app';
import { listen, shutDown } from './listen';

let server: Server;
let url: string;

beforeAll(async () => {
  const root = mkdtempSync(join(tmpdir(), 'metronomo-'));
  const webRoot = join(root, 'web');
  mkdirSync(join(webRoot, 'assets'), { recursive: true });
  writeFileSync(join(webRoot, 'index.html'), '<title>Metronomo</title>');
  writeFileSync(join(webRoot, 'assets/app.js'), 'go()');
  writeFileSync(join(root, 'secret.txt'), 'secret');
  ({ server, url } = await listen(
    createApp({ webRoot, version: '1.2.3', logger: pino({ level: 'silent' }) }),
    0,
    '127.0.0.1',
  ));
});
afterAll(() => shutDown(server));

/** Unlike fetch, sends the path without normalizing it. */
const rawStatus = (path: string) =>
  new Promise<number>((resolve, reject) => {
    const { hostname, port } = new URL(url);
    request({ hostname, port, path }, (response) => resolve(response.resume().statusCode ?? 0))
      .on('error', reject)
      .end();
  });

test('listens on loopback and sends the headers that isolate and lock down the page', async () => {
  expect(url).toMatch(/^http:\/\/127\.0\.0\.1:/);
  const { headers } = await fetch(url);
  expect(headers.get('cross-origin-opener-policy')).toBe('same-origin');
  expect(headers.get('cross-origin-embedder-policy')).toBe('require-corp');
  expect(headers.get('content-security-policy')).toMatch(/default-src 'none'.*script-src 'self'/);
  expect(headers.get('content-security-policy')).not.toMatch(/unsafe/);
  expect(headers.get('x-content-type-options')).toBe('nosniff');
  expect(headers.get('x-powered-by')).toBeNull();
});

test('unknown pages are the app; unknown API routes are JSON; missing files are 404', async () => {
  expect(await (await fetch(`${url}/bench/take/7`)).text()).toContain('Metronomo');
  const unknown = await fetch(`${url}/api/nothing`);
  expect(unknown.status).toBe(404);
  expect(await unknown.json()).toEqual({ error: 'Not found: GET /api/nothing.' });
  expect((await fetch(`${url}/assets/gone.js`)).status).toBe(404);
  expect((await fetch(`${url}/`, { method: 'POST' })).status).toBe(405);
});

test('reports its version, and serves the build', async () => {
  expect(await (await fetch(`${url}/api/status`)).json()).toMatchObject({ name: 'metronomo', version: '1.2.3' });
  const file = await fetch(`${url}/assets/app.js`);
  expect(file.headers.get('content-type')).toMatch('javascript');
  expect(file.headers.get('cache-control')).toMatch('immutable');
});

test('nothing outside the build can be reached', async () => {
  for (const path of [
    '/../secret.txt',
    '/assets/../../secret.txt',
    '/%2e%2e/secret.txt',
    '/assets/..%2f..%2fsecret.txt',
    '/%00.js',
  ])
    expect(await rawStatus(path)).toBeGreaterThanOrEqual(400);
});

test('shuts down immediately without pending requests', async () => {
  const other = await listen(
    createApp({ webRoot: '/', version: '0', logger: pino({ level: 'silent' }) }),
    0,
    '127.0.0.1',
  );
  await fetch(`${other.url}/api/status`);
  await shutDown(other.server);
  await expect(fetch(`${other.url}/api/status`)).rejects.toThrow();
});
