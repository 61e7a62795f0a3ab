import { REFUSED } from '@metronomo/core';
import { useEffect, useRef } from 'react';
import { tell } from '../app/toast-store';
import { changeRig, useSession } from '../hub/session';
import { accept, invite, NetworkApiError, useNetwork, useKnownSessions, type NetworkSession } from './api';
import { isLive, isSamePlace, withPeer } from './peers';

const INVITE_AGAIN_MS = 5000;

/**
 * Draws nothing: as long as a rig is in use, it invites the peers that are remembered, says yes to those of them that invite,
 * and tells of others that do.
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
      const known = peers?.find((peer) => !peer.weInvite && isSamePlace(peer, session));
      if (known) quietly(accept(session.id, known.key, known.bufferMs));
      else tellOnce(session, told.current);
    }
    for (const { weInvite, ...peer } of peers ?? []) {
      const open = live.find(({ key, state }) => key === peer.key && state === 'open');
      // Of one that was invited by its address, the name is known only now.
      if (open && open.name !== peer.name)
        void changeRig((rig) => withPeer(rig, { ...peer, weInvite, name: open.name }));
      const refused = sessions.findLast(({ key }) => key === peer.key)?.reason === REFUSED;
      if (refused) saidNo.current.add(peer.key);
      if (open) saidNo.current.delete(peer.key);
      // Who said no is not asked again and again; a person may invite it anew.
      if (!weInvite || saidNo.current.has(peer.key) || live.some(({ key }) => key === peer.key)) continue;
      const now = performance.now();
      // One that was taken down just now is invited already, though that is not to be seen yet.
      const before = invitedMs.current.get(peer.key) ?? (began.current ? now : -Infinity);
      if (now - before < INVITE_AGAIN_MS) {
        invitedMs.current.set(peer.key, before);
        continue;
      }
      invitedMs.current.set(peer.key, now);
      quietly(invite(peer));
    }
    began.current = true;
  }, [peers, sessions]);
  return null;
}

function tellOnce({ id, name, address }: NetworkSession, told: Set<string>): void {
  if (told.has(id)) return;
  told.add(id);
  tell(`${name} at ${address} invites you to a session. Answer it in Rig, under Ports.`);
}

/** It is tried again by itself; the panel shows how the sessions stand. */
function quietly(order: Promise<unknown>): void {
  order.catch((error: unknown) => {
    if (!(error instanceof NetworkApiError)) throw error;
  });
}
