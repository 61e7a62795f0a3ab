import { Link } from 'react-router';
import { useWire } from '../../studio/network-door';
import { usePeerSessions } from '../../studio/use-peer-sessions';
import { Notice } from '../../parts/notice';
import { SessionMark } from '../../parts/session-mark';
import { decimal } from '../../words/numbers';

const TITLES = [
  'Peer',
  'Session',
  'Round trip',
  'Jitter',
  'Buffer',
  'Late messages',
  'Packets lost',
  'Out of order',
  'Peer clock error, drift',
];

/** Each network peer: its session, round trip, jitter and losses. */
export function NetworkTable() {
  const rows = usePeerSessions();
  const { connected, clockErrorMs } = useWire();
  if (rows.length === 0)
    return (
      <p className="p-4 text-sm text-soft">
        No network peers yet. Invite a computer or tablet in{' '}
        <Link to="/rig" className="underline">
          Rig
        </Link>
        , under Ports.
      </p>
    );
  return (
    <div className="overflow-x-auto p-4 text-sm">
      <table>
        <caption className="sr-only">Network peers</caption>
        <thead className="text-left text-xs text-soft">
          <tr>
            {TITLES.map((title) => (
              <th key={title} className="pr-5 font-normal whitespace-nowrap">
                {title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map(({ peer, session }) => (
            <tr key={peer.key} className="whitespace-nowrap">
              <th scope="row" className="pr-5 text-left">
                {peer.name}
              </th>
              <td className="pr-5">
                <SessionMark session={session} weInvite={peer.weInvite} />
              </td>
              <td className="pr-5">{session?.roundTripMs == null ? '—' : `${decimal(session.roundTripMs, 1)} ms`}</td>
              <td className="pr-5">{session ? `${decimal(session.jitterMs, 2)} ms` : '—'}</td>
              <td className="pr-5">{`${peer.bufferMs} ms`}</td>
              <td className="pr-5">{session?.playedLate ?? '—'}</td>
              <td className="pr-5">{session ? `${session.lost} of ${session.received + session.lost}` : '—'}</td>
              <td className="pr-5">{session?.reordered ?? '—'}</td>
              <td className="pr-5">
                {session?.clock && session.playoutErrorMs !== null
                  ? `± ${decimal(session.playoutErrorMs, 2)} ms, ${decimal(Math.round(10 * session.clock.driftPpm) / 10 || 0, 1)} ppm`
                  : '—'}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {!connected && (
        <div className="mt-3">
          <Notice>
            Metronomo’s server isn’t responding, so network MIDI is offline. It reconnects automatically every few
            seconds. If it stays offline, restart the server.
          </Notice>
        </div>
      )}
      <p className="mt-3 max-w-prose text-xs text-soft">
        {clockErrorMs !== null && `Server clock synced to ± ${decimal(clockErrorMs, 2)} ms. `}
        Messages from a peer play at their send time plus the buffer. If many arrive late, or more packets are lost than
        arrive out of order, set a longer buffer in Rig. The Bench recommends a value.
      </p>
    </div>
  );
}
