import { hostname } from 'node:os';
import type { PeerAddress } from '@metronomo/core';
import type { Logger } from 'pino';
import { Discovery } from './discovery';
import { Guard } from './guard';
import { Network } from './network';
import type { NetworkParts } from './routes';
import { StandInPeer } from './stand-in-peer';

/** The usual control port of network MIDI sessions. */
const DEFAULT_PORT = 5004;
const LOOPBACK = ['127.0.0.1', '::1'];

export interface NetworkSettings {
  name: string;
  hosts: readonly string[];
  /** 0 takes any free pair. */
  port: number;
  look: boolean;
  alsoTypes: readonly string[];
  /** Whether the demo's stand-in tablet is on the network. */
  standIn: boolean;
}

/**
 * From the environment: NETWORK_HOST (loopback by default; 0.0.0.0 is the whole local network), NETWORK_PORT,
 * NETWORK_NAME, NETWORK_LOOK=off, NETWORK_TYPES (additional service types, comma-separated), NETWORK_STANDIN=on.
 */
export function networkSettings(env: NodeJS.ProcessEnv): NetworkSettings {
  const host = env['NETWORK_HOST'];
  return {
    name: env['NETWORK_NAME'] ?? `Metronomo on ${hostname()}`,
    hosts: host === undefined ? LOOPBACK : host === '0.0.0.0' ? ['0.0.0.0', '::'] : [host],
    port: Number(env['NETWORK_PORT'] ?? DEFAULT_PORT),
    look: env['NETWORK_LOOK'] !== 'off',
    alsoTypes: (env['NETWORK_TYPES'] ?? '').split(',').filter((type) => /^[a-z0-9-]{1,15}$/.test(type)),
    standIn: env['NETWORK_STANDIN'] === 'on',
  };
}

/** Opens network MIDI if possible. The app works without it: a failure is reported and doesn't prevent the start. */
export async function startNetwork(
  settings: NetworkSettings,
  logger: Logger,
): Promise<NetworkParts & { close(): Promise<void> }> {
  const guard = new Guard();
  const { network, problem } = await openNetwork(settings, logger);
  const discovery = network && settings.look ? startDiscovery(network, settings, logger) : null;
  const standIn = network && settings.standIn ? await StandInPeer.open(logger).catch(() => null) : null;
  const known: (PeerAddress & { name: string })[] = standIn ? [standIn.place] : [];
  return {
    ...{ network, problem, discovery, known, guard },
    async close() {
      network?.close();
      standIn?.close();
      await discovery?.close();
    },
  };
}

async function openNetwork(
  settings: NetworkSettings,
  logger: Logger,
): Promise<{ network: Network | null; problem: string | null }> {
  const { port } = settings;
  if (!(Number.isInteger(port) && port >= 0 && port < 65_535))
    return { network: null, problem: 'NETWORK_PORT must be a whole number from 0 to 65534.' };
  try {
    const network = await Network.open({ ...settings, logger });
    logger.info({ port: network.port, addresses: network.addresses }, 'network MIDI ready');
    return { network, problem: null };
  } catch (error) {
    logger.warn({ err: error }, 'network MIDI unavailable');
    return {
      network: null,
      problem: `Network MIDI is off: UDP ports ${port} and ${port + 1} couldn’t be opened. Another program may be using them. Close it, or set NETWORK_PORT to a free port, then restart Metronomo.`,
    };
  }
}

function startDiscovery(network: Network, { hosts, alsoTypes }: NetworkSettings, logger: Logger): Discovery | null {
  try {
    return new Discovery({ name: network.name, port: network.port, host: hosts[0] ?? '127.0.0.1', alsoTypes, logger });
  } catch (error) {
    logger.warn({ err: error }, 'discovery unavailable');
    return null;
  }
}
