import type { DueBytes } from '@metronomo/core';
import pino from 'pino';
import { Network } from '../server/src/network/network';

const logger = pino({ level: 'silent' });
const HOSTS = ['127.0.0.1'];
export const PEERS_SHIFT_MS = 12_345.678;
const EVERY_MS = 10;
const AHEAD_MS = 60;

/** Clock for each session as the hub's worker sends it: every 10 ms, what is due within the next 60. */
export function sendClocks(network: Network, ids: readonly string[], bpm: number): NodeJS.Timeout {
  const tickMs = 60_000 / bpm / 24;
  let nextMs = network.now() + AHEAD_MS;
  return setInterval(() => {
    const due: DueBytes[] = [];
    for (; nextMs < network.now() + AHEAD_MS; nextMs += tickMs) due.push({ atMs: nextMs, bytes: Uint8Array.of(0xf8) });
    if (due.length > 0) for (const id of ids) network.send(id, due);
  }, EVERY_MS);
}

/** On the machine's clock, shared by all processes, plus an offset. */
export function openNetwork(name: string, shiftMs: number): Promise<Network> {
  const now = () => Number(process.hrtime.bigint()) / 1e6 + shiftMs;
  return Network.open({ name, hosts: HOSTS, port: 0, logger, now });
}

/** The peers, in a process of their own: they accept every invitation, and send a clock on request. */
export async function bePeers(count: number, bpm: number): Promise<void> {
  const peers = await Promise.all(
    Array.from({ length: count }, (_, i) => openNetwork(`Peer ${i + 1}`, PEERS_SHIFT_MS)),
  );
  setInterval(() => {
    for (const peer of peers)
      for (const { id, state } of peer.sessions()) if (state === 'ringing') peer.accept(id, 'bench');
  }, 100);
  process.on('message', (order) => {
    if (order === 'play') for (const peer of peers) sendClocks(peer, ['s1'], bpm);
  });
  process.send?.({ ports: peers.map(({ port }) => port) });
}
