import { mkdirSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import {
  encodeMidi,
  MidiFileError,
  MidiParser,
  readSongFile,
  readWav,
  TOKEN_HEADER,
  TOKEN_PROTOCOL_PREFIX,
  WavError,
  WIRE_PATH,
  WIRE_PROTOCOL,
  writeSongFile,
  writeWav,
} from '@metronomo/core';
import pino from 'pino';
import { seededRandom, type SeededRandom as Random } from '../core/src/standin/random';
import { A, TwoEnds } from '../core/src/testing/two-ends';
import { createApp } from '../server/src/app';
import { listen, shutDown } from '../server/src/listen';
import { openDoor } from '../server/src/network/door';
import { Guard } from '../server/src/network/guard';
import { Network } from '../server/src/network/network';
import { boathouse } from '../web/src/store/boathouse';
import { readRigFile, writeRigFile } from '../web/src/files/rig-file';
import { FileError } from '../web/src/files/text-file';

/**
 * Attacks with seeded random bytes: `npm run attack`, or `npm run attack -- connections http datagrams files midi --count
 * 10000 --seed 7`. Prints what held; an input that broke something is saved in `attack-failures`.
 */
const { values, positionals } = parseArgs({
  allowPositionals: true,
  options: { count: { type: 'string', default: '10000' }, seed: { type: 'string', default: '1' } },
});
const FOLDER = 'attack-failures';
const HANG_MS = 2000;
const AT_ONCE = 50;
const MAX_CHANGES = 8;

type Attack = (count: number, random: Random) => Promise<string> | string;
const ATTACKS: Record<string, Attack> = { connections, http, datagrams, files, midi };

class Broken extends Error {}

const byteOf = (random: Random) => Math.floor(256 * random.uniform());

async function attackedServer() {
  const logger = pino({ level: 'silent' });
  const network = await Network.open({ name: 'Attacked', hosts: ['127.0.0.1'], port: 0, logger });
  const guard = new Guard();
  const parts = { network, problem: null, discovery: null, known: [], guard };
  const { server, url } = await listen(
    createApp({ webRoot: '.', version: '0', logger, network: parts }),
    0,
    '127.0.0.1',
  );
  const door = openDoor(server, network, guard, logger);
  return {
    url,
    guard,
    async end() {
      door.close();
      network.close();
      await shutDown(server);
    },
  };
}

/** Connections to the server, cut at a random byte: reset, closed or left half-open. */
async function connections(count: number, random: Random): Promise<string> {
  const { url, guard, end } = await attackedServer();
  const { host, port, hostname } = new URL(url);
  const upgrade = (path: string, token: string) =>
    `GET ${path} HTTP/1.1\r\nHost: ${host}\r\nConnection: Upgrade\r\nUpgrade: websocket\r\nOrigin: ${url}\r\nSec-WebSocket-Version: 13\r\nSec-WebSocket-Key: AAAAAAAAAAAAAAAAAAAAAA==\r\nSec-WebSocket-Protocol: ${WIRE_PROTOCOL}, ${TOKEN_PROTOCOL_PREFIX}${token}\r\n\r\n`;
  const post = `POST /api/network/sessions HTTP/1.1\r\nHost: ${host}\r\nContent-Type: application/json\r\nContent-Length: 40\r\n\r\n{"address":"127.0.0.1","port":5004}`;
  const templates = [
    upgrade(WIRE_PATH, guard.token),
    upgrade(WIRE_PATH, 'x'),
    upgrade('/other', ''),
    post,
    'GET /api/health HTTP/1.1\r\n',
  ];
  const cut = () =>
    new Promise<void>((resolve) => {
      const template = Buffer.from(templates[Math.floor(templates.length * random.uniform())] ?? '');
      const frame = Buffer.from(Array.from({ length: Math.floor(40 * random.uniform()) }, () => byteOf(random)));
      const whole = Buffer.concat([template, frame]);
      const bytes = random.uniform() < 0.5 ? whole : whole.subarray(0, Math.floor(whole.length * random.uniform()));
      const isReset = random.uniform() < 0.7;
      const socket = connect(Number(port), hostname, () => {
        socket.write(bytes, () => (isReset ? socket.resetAndDestroy() : socket.end()));
      });
      socket.setTimeout(HANG_MS, () => socket.destroy());
      socket.on('error', () => undefined);
      socket.on('data', () => undefined);
      socket.on('close', () => resolve());
    });
  let slowestMs = 0;
  for (let done = 0; done < count; done += AT_ONCE) {
    await Promise.all(Array.from({ length: Math.min(AT_ONCE, count - done) }, cut));
    const askedMs = performance.now();
    const { ok } = await fetch(`${url}/api/health`);
    if (!ok) throw new Broken('The server no longer answers.');
    slowestMs = Math.max(slowestMs, performance.now() - askedMs);
  }
  await end();
  if (slowestMs > HANG_MS) throw new Broken(`The server took ${slowestMs.toFixed(0)} ms to answer.`);
  return `the server answered within ${slowestMs.toFixed(0)} ms throughout`;
}

/** Requests with a valid token, and a method, path and body that are each right or damaged. */
async function http(count: number, random: Random): Promise<string> {
  const { url, guard, end } = await attackedServer();
  const one = <Kind>(of: readonly Kind[]) => of[Math.floor(of.length * random.uniform())] as Kind;
  const paths = [
    '',
    '/token',
    '/peers',
    '/sessions',
    '/sessions/1/accept',
    '/sessions/1/probe',
    '/sessions/1/exchanges',
  ];
  const body = Buffer.from('{"name":"Jetty","address":"127.0.0.1","port":5004,"bufferMs":30}');
  const statuses = new Map<number, number>();
  let slowestMs = 0;
  const ask = async () => {
    const method = one(['GET', 'POST', 'POST', 'DELETE', 'PUT']);
    const bytes = random.uniform() < 0.1 ? Buffer.alloc(8000, 0x5b) : Buffer.from(mutated(body, random));
    const hurt = random.uniform() < 0.2 ? encodeURIComponent(String.fromCharCode(byteOf(random), byteOf(random))) : '';
    const path = `/api/network${one(paths)}${hurt}`;
    const beganMs = performance.now();
    const { status } = await fetch(url + path, {
      method,
      headers: { 'content-type': one(['application/json', 'text/plain']), [TOKEN_HEADER]: guard.token },
      ...(method !== 'GET' && { body: bytes }),
      signal: AbortSignal.timeout(HANG_MS),
    });
    if (status >= 500 && status !== 503)
      throw broken(Buffer.concat([Buffer.from(`${method} ${path}\n`), bytes]), new Error(`Answered ${status}.`));
    statuses.set(status, (statuses.get(status) ?? 0) + 1);
    slowestMs = Math.max(slowestMs, performance.now() - beganMs);
  };
  for (let done = 0; done < count; done += AT_ONCE)
    await Promise.all(Array.from({ length: Math.min(AT_ONCE, count - done) }, ask));
  await end();
  const said = [...statuses].sort(([a], [b]) => a - b).map(([status, times]) => `${times} × ${status}`);
  return `answers ${said.join(', ')}, within ${slowestMs.toFixed(0)} ms`;
}

/** Half from an accepted peer, half from strangers; some with a valid beginning. */
function datagrams(count: number, random: Random): string {
  const room = new TwoEnds();
  room.connect();
  const real = room.datagrams.filter((bytes) => bytes.length > 4);
  globalThis.gc?.();
  for (let i = 0; i < count; i++) {
    const bytes = Uint8Array.from({ length: Math.floor(90 * random.uniform()) }, () => byteOf(random));
    const template = real[Math.floor(real.length * random.uniform())] ?? bytes;
    if (i % 3 > 0) bytes.set(template.subarray(0, Math.min(bytes.length, Math.floor(30 * random.uniform()))));
    const isPeer = i % 2 === 0;
    const isControl = random.uniform() < 0.5;
    const from = { address: isPeer ? A.address : `192.0.2.${i % 250}`, port: A.port + (isControl ? 0 : 1) };
    guarded(bytes, () => room.b.receive(isControl ? 'control' : 'data', from, bytes, room.clockB()));
    if (i % 1000 === 0) {
      room.nowMs += 20;
      guarded(bytes, () => room.b.advance(room.clockB()));
      room.b.drain();
    }
  }
  return `${room.b.sessions(room.clockB()).length} sessions kept`;
}

/** Rigs, songs and recordings with some bytes changed, removed, doubled, or cut off. */
function files(count: number, random: Random): string {
  const song = writeSongFile([{ name: 'Verse', bars: 8, bpm: 79, toBpm: null, beatsPerBar: 4, beatUnit: 4 }], 'Song');
  const sound = writeWav([Float32Array.from({ length: 400 }, () => random.uniform() - 0.5)], 48_000);
  const kinds: [Uint8Array, (bytes: Uint8Array) => unknown, (new (...args: never[]) => Error)[]][] = [
    [
      Buffer.from(writeRigFile({ ...boathouse(), gear: boathouse().gear.slice(0, 2) })),
      (bytes) => readRigFile(Buffer.from(bytes).toString()),
      [FileError],
    ],
    [song, readSongFile, [MidiFileError, RangeError]],
    [sound, readWav, [WavError]],
  ];
  let read = 0;
  for (let i = 0; i < count; i++) {
    const kind = kinds[i % kinds.length];
    if (!kind) continue;
    const [whole, reader, errors] = kind;
    const bytes = mutated(whole, random);
    const beganMs = performance.now();
    try {
      reader(bytes);
      read++;
    } catch (error) {
      if (!errors.some((kind) => error instanceof kind)) throw broken(bytes, error);
    }
    if (performance.now() - beganMs > HANG_MS) throw broken(bytes, new Error('It took over two seconds.'));
  }
  return `${read} still opened, ${count - read} were refused with a message`;
}

/** Bytes from a MIDI port: garbage between messages, in pieces of any length. */
function midi(count: number, random: Random): string {
  const parser = new MidiParser();
  const good = encodeMidi({ kind: 'sysex', data: Uint8Array.of(1, 2, 3) });
  let messages = 0;
  for (let i = 0; i < count; i++) {
    const bytes = Uint8Array.from({ length: Math.floor(60 * random.uniform()) }, () => byteOf(random));
    if (i % 3 === 0) bytes.set(good.subarray(0, bytes.length));
    guarded(bytes, () => (messages += parser.push(bytes, i).length));
  }
  return `${messages} messages read`;
}

function mutated(whole: Uint8Array, random: Random): Uint8Array {
  const bytes = [...whole];
  const changes = 1 + Math.floor(MAX_CHANGES * random.uniform());
  for (let i = 0; i < changes; i++) {
    const at = Math.floor(bytes.length * random.uniform());
    const how = random.uniform();
    if (how < 0.6) bytes[at] = byteOf(random);
    else if (how < 0.75) bytes.splice(at, 1 + Math.floor(20 * random.uniform()));
    else if (how < 0.9) bytes.splice(at, 0, ...bytes.slice(at, at + Math.floor(40 * random.uniform())));
    else bytes.length = at;
  }
  return Uint8Array.from(bytes);
}

function guarded(bytes: Uint8Array, work: () => void): void {
  try {
    work();
  } catch (error) {
    throw broken(bytes, error);
  }
}

function broken(bytes: Uint8Array, error: unknown): Broken {
  mkdirSync(FOLDER, { recursive: true });
  const file = join(FOLDER, `seed-${values.seed}.bin`);
  writeFileSync(file, bytes);
  return new Broken(`${String(error)} (saved in ${file})`, { cause: error });
}

async function main(): Promise<void> {
  const [count, seed] = [Number(values.count), Number(values.seed)];
  const names = positionals.length > 0 ? positionals : Object.keys(ATTACKS);
  for (const name of names) {
    const attack = ATTACKS[name];
    if (!attack) throw new Error(`No such attack: ${name}. There are ${Object.keys(ATTACKS).join(', ')}.`);
    const beganMs = performance.now();
    const before = process.memoryUsage().rss;
    try {
      const held = await attack(count, seededRandom(Math.imul(seed, 0x9e3779b1)));
      globalThis.gc?.();
      const grown = (process.memoryUsage().rss - before) / 2 ** 20;
      console.log(
        `${name}: ${count.toLocaleString('en')} in ${((performance.now() - beganMs) / 1000).toFixed(1)} s; ${held}; memory ${grown > 0 ? '+' : ''}${grown.toFixed(0)} MB`,
      );
    } catch (error) {
      console.log(`${name}: FAILED with seed ${seed}. ${error instanceof Error ? error.message : String(error)}`);
      process.exitCode = 1;
    }
  }
}

process.on('uncaughtException', (error) => {
  console.log(`An error that nothing caught: ${error.stack}`);
  process.exit(1);
});
void main();
