import type { RememberedPeer } from './records';

/** Somebody here has decided to talk to this peer. */
export function confirmedPeer({ key, name, address, port, weInvite, bufferMs }: RememberedPeer): RememberedPeer {
  return { key, name, address, port, weInvite, bufferMs };
}
