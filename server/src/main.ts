import { existsSync, readFileSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Server } from 'node:http';
import { REMOTE_PATH } from '@metronomo/core';
import open from 'open';
import pino from 'pino';
import { createApp } from './app';
import { listen, shutDown, type Certificate } from './listen';
import { pathOf } from './network/admit';
import { openDoor } from './network/door';
import { openRemoteDoor } from './remote/remote-door';
import { networkSettings, startNetwork } from './network/start';
import packageJson from '../package.json' with { type: 'json' };

const logger = pino({ level: process.env['LOG_LEVEL'] ?? 'info' });
const here = dirname(fileURLToPath(import.meta.url));
const webRoot = resolve(process.env['WEB_ROOT'] ?? join(here, '../../web/dist'));
const port = Number(process.env['PORT'] ?? 4180);
const host = process.env['HOST'] ?? '127.0.0.1';

if (!Number.isInteger(port) || port < 0 || port > 65_535) {
  logger.fatal(`PORT must be a whole number from 0 to 65535, not "${process.env['PORT']}".`);
  process.exit(2);
}
if (!existsSync(join(webRoot, 'index.html')))
  logger.warn(`The web interface isn’t built yet (${webRoot}). Run "npm run build" first.`);

/**
 * From HTTPS_CERT and HTTPS_KEY, two PEM files; null without them.
 * @throws Error if only one is given, or one can't be read.
 */
function certificateOf(env: NodeJS.ProcessEnv): Certificate | null {
  const { HTTPS_CERT: cert, HTTPS_KEY: key } = env;
  if (!cert && !key) return null;
  if (!cert || !key) throw new Error('Set both HTTPS_CERT and HTTPS_KEY, the paths of two PEM files, or neither.');
  return { cert: readFileSync(cert), key: readFileSync(key) };
}

/** Without network MIDI there is only the door for remotes: everything else that asks for a WebSocket is turned away. */
function refuseUpgrades(server: Server): void {
  server.on('upgrade', (request, socket) => {
    if (pathOf(request) !== REMOTE_PATH) socket.destroy();
  });
}

/** `--open`, unless `--no-open` comes after it. */
function opensBrowser(words: readonly string[]): boolean {
  return words.lastIndexOf('--open') > words.lastIndexOf('--no-open');
}

async function openPage(url: string): Promise<void> {
  const say = () => logger.warn(`No browser could be opened. Open ${url} yourself.`);
  try {
    const process = await open(url);
    process.once('error', say);
    process.once('exit', (code) => code !== 0 && code !== null && say());
  } catch {
    say();
  }
}

try {
  const network = await startNetwork(networkSettings(process.env), logger);
  const app = createApp({ webRoot, version: packageJson.version, logger, network });
  const { server, url } = await listen(app, port, host, certificateOf(process.env));
  const door = network.network && openDoor(server, network.network, network.guard, logger);
  const remoteDoor = openRemoteDoor(server, network.guard, logger);
  if (!door) refuseUpgrades(server);
  logger.info(`Metronomo is running at ${url}`);
  if (opensBrowser(process.argv)) await openPage(url);
  const leave = (signal: string) => {
    logger.info(`${signal}: shutting down`);
    door?.close();
    remoteDoor.close();
    void Promise.all([network.close(), shutDown(server)]).then(() => process.exit(0));
  };
  // A fault that nothing else caught is logged; time goes on for everyone who follows.
  process.on('uncaughtException', (error) => logger.error({ err: error }, 'an error that nothing caught'));
  process.on('unhandledRejection', (error) => logger.error({ err: error }, 'a rejection that nothing caught'));
  process.once('SIGINT', leave);
  process.once('SIGTERM', leave);
} catch (error) {
  const busy = error instanceof Error && 'code' in error && error.code === 'EADDRINUSE';
  logger.fatal(busy ? `Port ${port} is already in use. Choose another: PORT=4181 npm run demo` : error);
  process.exit(1);
}
