import { useSession } from './session';
import type { RememberedPeer } from '../store/records';
import { useNetworkSessions, type NetworkSession } from '../network/api';
import { isLive } from '../network/peers';

const NONE: RememberedPeer[] = [];

/** The current rig's peers with their current or last session. */
export function usePeerSessions(): { peer: RememberedPeer; session: NetworkSession | undefined }[] {
  const peers = useSession(({ rig }) => rig?.peers) ?? NONE;
  const sessions = useNetworkSessions();
  return peers.map((peer) => {
    const its = sessions.filter(({ key }) => key === peer.key);
    return { peer, session: its.find(isLive) ?? its.at(-1) };
  });
}
