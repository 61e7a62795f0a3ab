import { fork, type ChildProcess } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { createSocket } from 'node:dgram';
import { once } from 'node:events';
import { SessionHost, type Channel, type PeerAddress } from '@metronomo/core';
import type { Network } from '../server/src/network/network';
import { openNetwork, PEERS_SHIFT_MS, sendClocks } from './network-peers';
import type { Figure } from './figures';

export const SESSIONS = 32;
export const BPM = 300;
const MEASURE_MS = 10_000;
const NOISE = 100_000;
const SETTLE_MS = 3000;

interface Peers {
  child: ChildProcess;
  ports: number[];
}

/** CPU cost of 32 sessions in each direction, and how accurately another process's clock is known. */
export async function networkFigures(): Promise<Figure[]> {
  const { child, ports } = await startPeers();
  const network = await openNetwork('Bench', 0);
  try {
    const ids = ports.map((port, i) =>
      network.invite({ address: '127.0.0.1', port }, `Peer ${i + 1}`, `peer-${i + 1}`),
    );
    await until(() => network.sessions().filter(({ state }) => state === 'open').length === SESSIONS);
    await delay(SETTLE_MS);
    const idle = await coreShare();
    const sending = sendClocks(network, ids, BPM);
    await delay(SETTLE_MS);
    const sent = await coreShare();
    clearInterval(sending);
    child.send('play');
    await delay(SETTLE_MS);
    const before = received(network);
    const heard = await coreShare();
    const rate = (received(network) - before) / (MEASURE_MS / 1000);
    const offs = network.sessions().map(({ clock }) => Math.abs((clock?.offsetMs ?? NaN) - PEERS_SHIFT_MS));
    const alone = ids.map((id) => offOfLast(network, id));
    const bare = await bareDatagrams();
    const noise = randomDatagrams();
    return [
      {
        what: `${SESSIONS} sessions with a clock of ${BPM} BPM each, sent: part of a core`,
        ours: `${percent(sent)} (with nothing sent ${percent(idle)})`,
        beside: `as many bare datagrams from a timer, with no session: ${percent(bare)}`,
      },
      {
        what: 'The same, received from another process',
        ours: `${percent(heard)} at ${rate.toFixed(0)} packets a second`,
        beside: `${network.sessions().reduce((sum, { lost }) => sum + lost, 0)} lost, ${network.sessions().reduce((sum, { playedLate }) => sum + playedLate, 0)} too late for 30 ms`,
      },
      {
        what: 'Offset to the clock of another process, against the truth',
        ours: `${median(offs).toFixed(3)} ms off in the median, ${Math.max(...offs).toFixed(3)} at the most`,
        beside: `from one exchange alone, taken as it is: ${median(alone).toFixed(3)} ms and ${Math.max(...alone).toFixed(3)}`,
      },
      {
        what: `${NOISE.toLocaleString('en')} random datagrams as if from a peer, into an open session`,
        ours: `${noise.ms.toFixed(0)} ms, ${noise.keptMB.toFixed(1)} MB kept, ${noise.open} of 1 sessions still open`,
        beside: '',
      },
    ];
  } finally {
    network.close();
    child.kill();
  }
}

async function startPeers(): Promise<Peers> {
  const child = fork(process.argv[1] ?? '', ['--network-peers']);
  const [{ ports }] = (await once(child, 'message')) as [Omit<Peers, 'child'>];
  return { child, ports };
}

/** Share of one core while this process is otherwise idle. */
async function coreShare(): Promise<number> {
  const before = process.cpuUsage();
  const beganMs = performance.now();
  await delay(MEASURE_MS);
  const { user, system } = process.cpuUsage(before);
  return (user + system) / 1000 / (performance.now() - beganMs);
}

async function bareDatagrams(): Promise<number> {
  const socket = createSocket('udp4');
  const bytes = new Uint8Array(18);
  const tickMs = 60_000 / BPM / 24;
  let dueMs = performance.now();
  const timer = setInterval(() => {
    for (; dueMs < performance.now(); dueMs += tickMs)
      for (let i = 0; i < SESSIONS; i++) socket.send(bytes, 9, '127.0.0.1');
  }, 1);
  const share = await coreShare();
  clearInterval(timer);
  socket.close();
  return share;
}

/** Fed straight into an end with an open session, as if from its peer: a socket would drop the excess. */
function randomDatagrams(): { ms: number; keptMB: number; open: number } {
  const [ours, theirs] = ['Ours', 'Theirs'].map((name) => new SessionHost({ name, random: Math.random }));
  const [here, there] = [5004, 6004].map((port) => ({ address: '127.0.0.1', port }));
  if (!ours || !theirs || !here || !there) throw new Error('no ends');
  const carry = (nowMs: number) => {
    for (const { channel, bytes } of ours.drain().datagrams) theirs.receive(channel, at(here, channel), bytes, nowMs);
    for (const { channel, bytes } of theirs.drain().datagrams) ours.receive(channel, at(there, channel), bytes, nowMs);
  };
  ours.invite(there, 'Theirs', 0);
  carry(0);
  theirs.accept(theirs.sessions(0)[0]?.id ?? '', 0);
  for (let nowMs = 1; nowMs < 20; nowMs++) carry(nowMs);
  const noise = randomBytes(1 << 20);
  globalThis.gc?.();
  const before = process.memoryUsage().heapUsed;
  const beganMs = performance.now();
  for (let i = 0; i < NOISE; i++) {
    const channel = i % 2 ? 'control' : 'data';
    const start = (i * 7919) % (noise.length - 100);
    theirs.receive(channel, at(here, channel), noise.subarray(start, start + (i % 90)), 20 + i / 1000);
  }
  theirs.drain();
  const ms = performance.now() - beganMs;
  globalThis.gc?.();
  const open = theirs.sessions(0).filter(({ state }) => state === 'open').length;
  return { ms, keptMB: (process.memoryUsage().heapUsed - before) / 1e6, open };
}

function at({ address, port }: PeerAddress, channel: Channel): PeerAddress {
  return { address, port: channel === 'control' ? port : port + 1 };
}

/** The error if only the last exchange were used. */
function offOfLast(network: Network, id: string): number {
  const last = network.exchangesAfter(id, 0)?.findLast(({ receivedMs }) => receivedMs !== null);
  return Math.abs((last?.theirsMs ?? NaN) - ((last?.sentMs ?? 0) + (last?.receivedMs ?? 0)) / 2 - PEERS_SHIFT_MS);
}

function received(network: Network): number {
  return network.sessions().reduce((sum, session) => sum + session.received, 0);
}

function percent(share: number): string {
  return `${(100 * share).toFixed(1)} %`;
}

function median(values: number[]): number {
  return [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? NaN;
}

async function until(is: () => boolean): Promise<void> {
  while (!is()) await delay(50);
}

function delay(ms: number): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, ms));
}
