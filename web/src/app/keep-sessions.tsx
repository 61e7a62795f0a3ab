import { REFUSED } from '@metronomo/core';
import { useEffect, useRef } from 'react';
import { showToast } from '../toasts/toast-store';
import { changeRig } from '../studio/rig';
import { useSession } from '../studio/session';
import { accept, invite, NetworkApiError, useNetwork, useKnownSessions, type NetworkSession } from '../network/api';
import { isLive, isSamePlace, withPeer } from '../network/peers';

const INVITE_AGAIN_MS = 5000;

/**
 * Renders nothing: while a rig is in use, it invites the remembered peers, accepts their invitations, and announces
 * those of others.
 */
export function KeepSessions() {
  const { network } = useNetwork();
  return network?.open ? <Keeper /> : null;
}

function Keeper() {
  const peers = useSession(({ rig }) => rig?.peers);
  const sessions = useKnownSessions();
  const invitedMs = useRef(new Map<string, number>());
  const began = useRef(false);
  const saidNo = useRef(new Set<string>());
  const told = useRef(new Set<string>());
  useEffect(() => {
    if (!sessions) return;
    const live = sessions.filter(isLive);
    for (const session of live.filter(({ state }) => state === 'ringing')) {
      const known = peers?.find((peer) => !peer.fromFile && !peer.weInvite && isSamePlace(peer, session));
      if (known) ignoringErrors(accept(session.id, known.key, known.bufferMs));
      else toastOnce(session, told.current);
    }
    for (const { weInvite, ...peer } of peers ?? []) {
      if (peer.fromFile) continue;
      const open = live.find(({ key, state }) => key === peer.key && state === 'open');
      // A peer invited by address gets its name only now.
      if (open && open.name !== peer.name)
        void changeRig((rig) => withPeer(rig, { ...peer, weInvite, name: open.name }));
      const refused = sessions.findLast(({ key }) => key === peer.key)?.reason === REFUSED;
      if (refused) saidNo.current.add(peer.key);
      if (open) saidNo.current.delete(peer.key);
      // Don't keep re-inviting a peer that declined; only a manual invitation retries.
      if (!weInvite || saidNo.current.has(peer.key) || live.some(({ key }) => key === peer.key)) continue;
      const now = performance.now();
      // A peer added a moment ago has an invitation in flight that isn't listed yet.
      const before = invitedMs.current.get(peer.key) ?? (began.current ? now : -Infinity);
      if (now - before < INVITE_AGAIN_MS) {
        invitedMs.current.set(peer.key, before);
        continue;
      }
      invitedMs.current.set(peer.key, now);
      ignoringErrors(invite(peer));
    }
    began.current = true;
  }, [peers, sessions]);
  return null;
}

function toastOnce({ id, name, address }: NetworkSession, told: Set<string>): void {
  if (told.has(id)) return;
  told.add(id);
  showToast(`${name} (${address}) invites you to a network session. Accept or decline in Rig, under Ports.`);
}

/** Retried automatically; the panel shows the state of each session. */
function ignoringErrors(order: Promise<unknown>): void {
  order.catch((error: unknown) => {
    if (!(error instanceof NetworkApiError)) throw error;
  });
}
