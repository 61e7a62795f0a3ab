import { DEFAULT_BUFFER_MS } from '@metronomo/core';
import type { NetworkSession, Place } from './api';
import type { Rig, RememberedPeer } from '../store/records';

export function isLive({ state }: NetworkSession): boolean {
  return state !== 'ended';
}

/** A peer that invites comes from the same address and under the same name; its port may be another each time. */
export function isSamePlace(peer: RememberedPeer, session: NetworkSession): boolean {
  return peer.address === session.address && peer.name === session.name;
}

/** A key for a new peer: its name in plain letters, with a number behind it where it is taken. */
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

/** The peer as it will be remembered: the one that is known by that place already, or a new one. */
export function peerFor(place: Place, weInvite: boolean, peers: readonly RememberedPeer[]): RememberedPeer {
  const { name, address, port } = place;
  const known = peers.find((peer) => peer.address === address && (weInvite ? peer.port === port : peer.name === name));
  return { ...(known ?? { key: freeKey(name, peers), bufferMs: DEFAULT_BUFFER_MS }), name, address, port, weInvite };
}

/**
 * The peer at a place with which there is a session already that this rig does not know of: another rig invited it, or it was
 * forgotten along with the browser's data. It keeps the name of its port. Null when there is none.
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
