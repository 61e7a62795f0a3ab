import { DEFAULT_BUFFER_MS } from '@metronomo/core';
import type { NetworkSession, Place } from './api';
import type { Rig, RememberedPeer } from '../store/records';

export function isLive({ state }: NetworkSession): boolean {
  return state !== 'ended';
}

/** An inviting peer has the same address and name; its port may differ each time. */
export function isSamePlace(peer: RememberedPeer, session: NetworkSession): boolean {
  return peer.address === session.address && peer.name === session.name;
}

/** A unique key for a new peer: its name in plain letters, numbered if necessary. */
export function freeKey(name: string, peers: readonly RememberedPeer[]): string {
  const plain =
    name
      .toLowerCase()
      .replaceAll(/[^a-z0-9.]+/g, '-')
      .replaceAll(/^-+|-+$/g, '')
      .slice(0, 40) || 'peer';
  let key = plain;
  for (let number = 2; peers.some((peer) => peer.key === key); number++) key = `${plain}-${number}`;
  return key;
}

/** The peer record to remember: the existing one at that address, or a new one. */
export function peerFor(place: Place, weInvite: boolean, peers: readonly RememberedPeer[]): RememberedPeer {
  const { name, address, port } = place;
  const known = peers.find((peer) => peer.address === address && (weInvite ? peer.port === port : peer.name === name));
  const { key, bufferMs } = known ?? { key: freeKey(name, peers), bufferMs: DEFAULT_BUFFER_MS };
  return { key, bufferMs, name, address, port, weInvite };
}

/**
 * A peer at this address whose session this rig doesn't know about: another rig invited it, or the browser's data was
 * cleared. Keeps its port name. Null if there is none.
 */
export function peerInSession(
  place: Place,
  peers: readonly RememberedPeer[],
  sessions: readonly NetworkSession[],
): RememberedPeer | null {
  const live = sessions.find((one) => isLive(one) && one.address === place.address && one.port === place.port);
  if (!live || live.key === null || peers.some(({ key }) => key === live.key)) return null;
  return { ...peerFor(place, live.weInvited, peers), key: live.key, bufferMs: live.bufferMs };
}

export function withPeer(rig: Rig, peer: RememberedPeer): Rig {
  const others = (rig.peers ?? []).filter(({ key }) => key !== peer.key);
  return { ...rig, peers: [...others, peer] };
}

export function withoutPeer(rig: Rig, key: string): Rig {
  return { ...rig, peers: (rig.peers ?? []).filter((peer) => peer.key !== key) };
}
