import { RotateCw, X } from 'lucide-react';
import { useState } from 'react';
import { showToast } from '../../toasts/toast-store';
import { changeRig, undoWhileLatest } from '../../studio/rig';
import {
  accept,
  invite,
  leave,
  NetworkApiError,
  useNetwork,
  useNetworkSessions,
  usePeers,
  type NetworkSession,
  type Place,
} from '../../network/api';
import { isLive, isSamePlace, peerFor, peerInSession, withoutPeer, withPeer } from '../../network/peers';
import { confirmedPeer } from '../../store/confirmed-peer';
import { Button } from '../../parts/button';
import { Notice } from '../../parts/notice';
import { SessionMark } from '../../parts/session-mark';
import type { RememberedPeer, Rig } from '../../store/records';
import { AddressForm } from './address-form';
import { BufferField } from './buffer-field';
import { decimal } from '../../words/numbers';

/** Network peers: discovered, invited, inviting, remembered. */
export function NetworkPanel({ rig }: { rig: Rig }) {
  const { network, failed } = useNetwork();
  const sessions = useNetworkSessions();
  const found = usePeers();
  const [problem, setProblem] = useState<string | null>(null);
  if (failed) return null;
  const peers = rig.peers ?? [];
  const run = (order: () => Promise<unknown>) => {
    setProblem(null);
    order().catch((error: unknown) => {
      if (!(error instanceof NetworkApiError)) throw error;
      setProblem(error.message);
    });
  };
  const call = (place: Place) =>
    run(async () => {
      const inSession = peerInSession(place, peers, sessions);
      const peer = inSession ?? peerFor(place, true, peers);
      if (!inSession) await invite(peer);
      await changeRig((before) => withPeer(before, peer));
    });
  const ringing = sessions.filter(({ state }) => state === 'ringing');
  const strangers = found.filter(
    (one) => !peers.some(({ address, port }) => address === one.address && port === one.port),
  );
  return (
    <section aria-label="Network peers">
      <h2 className="mb-1 text-lg font-bold">Network MIDI</h2>
      {network && !network.open && <Notice>{network.problem}</Notice>}
      {network?.open && (
        <p className="mb-2 text-xs text-soft">
          Visible to others as <b className="text-ink">{network.name}</b> at {network.addresses.join(' and ')}, UDP port{' '}
          {network.port}.
          {network.addresses.every(isLoopback) &&
            ' Only this computer can connect. The README explains how to open it to your network.'}
        </p>
      )}
      {problem && (
        <div className="my-2">
          <Notice>{problem}</Notice>
        </div>
      )}
      {ringing.map((session) => (
        <Invitation
          key={session.id}
          session={session}
          onAccept={() =>
            run(async () => {
              const peer = peerFor(session, false, peers);
              await accept(session.id, peer.key, peer.bufferMs);
              await changeRig((before) => withPeer(before, peer));
            })
          }
          onRefuse={() => run(() => leave(session.id))}
        />
      ))}
      <ul className="text-sm" aria-label="Peers">
        {peers.map((peer) => (
          <PeerRow
            key={peer.key}
            peer={peer}
            session={
              sessions.find((one) => one.key === peer.key && isLive(one)) ??
              sessions.findLast(({ key }) => key === peer.key)
            }
            onInvite={() => run(() => invite(peer))}
            onConfirm={() => void changeRig((before) => withPeer(before, confirmedPeer(peer)))}
            onForget={() => void forget(peer, sessions)}
          />
        ))}
      </ul>
      {strangers.length > 0 && (
        <>
          <h3 className="mt-3 font-bold">On the network</h3>
          <ul className="text-sm" aria-label="Peers on the network">
            {strangers.map((place) => (
              <li
                key={`${place.address} ${place.port}`}
                className="ruled-b flex items-center justify-between gap-2 py-1"
              >
                <span className="min-w-0">
                  <span className="block truncate">{place.name}</span>
                  <span className="text-xs text-soft">{`${place.address}, port ${place.port}`}</span>
                </span>
                <Button tone="quiet" aria-label={`Invite ${place.name}`} onClick={() => call(place)}>
                  Invite
                </Button>
              </li>
            ))}
          </ul>
        </>
      )}
      {network?.open && (
        <>
          {network.lookingProblem && <p className="mt-3 text-xs text-soft">{network.lookingProblem}</p>}
          <AddressForm onInvite={call} />
        </>
      )}
    </section>
  );
}

function isLoopback(address: string): boolean {
  return address === '::1' || address.startsWith('127.');
}

async function forget(peer: RememberedPeer, sessions: readonly NetworkSession[]): Promise<void> {
  await changeRig((before) => withoutPeer(before, peer.key));
  const live = sessions.filter((one) => isLive(one) && (one.key === peer.key || isSamePlace(peer, one)));
  await Promise.allSettled(live.map(({ id }) => leave(id)));
  showToast(`Removed ${peer.name} and ended its session.`, undoWhileLatest());
}

function Invitation({
  session,
  onAccept,
  onRefuse,
}: {
  session: NetworkSession;
  onAccept: () => void;
  onRefuse: () => void;
}) {
  return (
    <div
      role="group"
      aria-label={`Invitation from ${session.name}`}
      className="my-2 border border-attention p-2.5 text-sm"
    >
      <p>
        <b>{session.name}</b> at {session.address} is inviting you to a MIDI session.
      </p>
      <p className="mt-2 flex gap-2">
        <Button tone="strong" onClick={onAccept}>
          Accept
        </Button>
        <Button onClick={onRefuse}>Decline</Button>
      </p>
    </div>
  );
}

/** A remembered peer and its session. */
function PeerRow({
  peer,
  session,
  onInvite,
  onConfirm,
  onForget,
}: {
  peer: RememberedPeer;
  session: NetworkSession | undefined;
  onInvite: () => void;
  onConfirm: () => void;
  onForget: () => void;
}) {
  return (
    <li className="ruled-b py-1.5">
      <div className="flex items-center justify-between gap-2">
        <span className="min-w-0 truncate">{peer.name}</span>
        <span className="flex shrink-0 items-center">
          <SessionMark session={session} weInvite={peer.weInvite} />
          {peer.weInvite && !peer.fromFile && !(session && isLive(session)) && (
            <Button tone="quiet" className="!px-1.5" aria-label={`Invite ${peer.name} again`} onClick={onInvite}>
              <RotateCw size={14} aria-hidden />
            </Button>
          )}
          <Button tone="quiet" className="!px-1.5" aria-label={`Remove ${peer.name}`} onClick={onForget}>
            <X size={14} aria-hidden />
          </Button>
        </span>
      </div>
      {peer.fromFile && (
        <p className="flex items-center justify-between gap-2 text-xs text-attention">
          <span>From a file, at {peer.address}. It stays disconnected until you confirm it.</span>
          <Button aria-label={`Confirm ${peer.name}`} onClick={onConfirm}>
            Confirm
          </Button>
        </p>
      )}
      {session?.state === 'open' && (
        <p className="text-xs text-soft">
          {session.roundTripMs === null
            ? 'round trip not measured yet'
            : `${decimal(session.roundTripMs, 1)} ms round trip`}
          , {decimal(session.jitterMs, 1)} ms jitter, {session.lost} of {session.received + session.lost} packets lost
        </p>
      )}
      <BufferField peer={peer} session={session} />
    </li>
  );
}
