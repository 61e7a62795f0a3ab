import { Link } from 'react-router';
import { useWire } from '../../network/network-ports';
import { usePeerSessions } from '../../network/use-peer-sessions';
import { Notice } from '../../parts/notice';
import { SessionMark } from '../../parts/session-mark';

const TITLES = [
  'Peer',
  'Session',
  'There and back',
  'Jitter',
  'Lost',
  'Out of order',
  'Too late',
  'Its clock, drift',
  'Buffer',
];

/** Each peer of the network while time runs: whether its session holds, and what the way to it does. */
export function NetworkTable() {
  const rows = usePeerSessions();
  const { connected, clockErrorMs } = useWire();
  if (rows.length === 0)
    return (
      <p className="p-4 text-sm text-soft">
        No other computer or tablet yet. Invite one in{' '}
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
              <td className="pr-5">{session?.roundTripMs == null ? '—' : `${session.roundTripMs.toFixed(1)} ms`}</td>
              <td className="pr-5">{session ? `${session.jitterMs.toFixed(2)} ms` : '—'}</td>
              <td className="pr-5">{session ? `${session.lost} of ${session.received + session.lost}` : '—'}</td>
              <td className="pr-5">{session?.reordered ?? '—'}</td>
              <td className="pr-5">{session?.playedLate ?? '—'}</td>
              <td className="pr-5">
                {session?.clock
                  ? `± ${session.clock.standardErrorMs.toFixed(2)} ms, ${(Math.round(10 * session.clock.driftPpm) / 10 || 0).toFixed(1)} ppm`
                  : '—'}
              </td>
              <td className="pr-5">{`${peer.bufferMs} ms`}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {!connected && (
        <div className="mt-3">
          <Notice>
            The server of Metronomo does not answer, so nothing goes to the network or comes from it. It is tried again
            every few seconds.
          </Notice>
        </div>
      )}
      <p className="mt-3 max-w-prose text-xs text-soft">
        {clockErrorMs !== null && `The server’s own clock is known within ${clockErrorMs.toFixed(2)} ms. `}
        What comes from a peer is played at the time it was sent plus the buffer. If many come too late, or more is lost
        than arrives out of order, give it a longer buffer in Rig; the Bench says how long.
      </p>
    </div>
  );
}
