import { useState } from 'react';
import { Link } from 'react-router';
import { endLinkTake, measurePeer, useLinkFlow } from '../../flow-effects/link-flow';
import { usePeerSessions } from '../../studio/use-peer-sessions';
import { Field, Select } from '../../parts/field';
import { LengthField, ListenControls } from './listen-controls';
import { whole } from '../../words/numbers';

const LENGTHS = [
  [10, '10 s'],
  [30, '30 s'],
  [60, '1 min'],
] as const;

/** Which peer to measure, and for how long. */
export function LinkPanel() {
  const open = usePeerSessions().flatMap(({ peer, session }) => (session?.state === 'open' ? [{ peer, session }] : []));
  const flow = useLinkFlow(({ flow }) => flow);
  const [key, setKey] = useState<string | null>(null);
  const [seconds, setSeconds] = useState(10);
  const chosen = open.find(({ peer }) => peer.key === key) ?? open[0];
  if (!chosen)
    return (
      <p className="text-sm text-soft">
        No open session with another computer or tablet. Invite one in{' '}
        <Link to="/rig" className="underline">
          Rig
        </Link>
        , under Ports.
      </p>
    );
  const { peer, session } = chosen;
  return (
    <div className="flex flex-col gap-4">
      <Field label="Network peer">
        {(id) => (
          <Select id={id} value={peer.key} onChange={({ target }) => setKey(target.value)}>
            {open.map((one) => (
              <option key={one.peer.key} value={one.peer.key}>
                {one.peer.name}
              </option>
            ))}
          </Select>
        )}
      </Field>
      <LengthField
        label="Duration"
        hint={session.weInvited ? '40 pings per second' : 'One ping per second, sent by the side that invited'}
        lengths={LENGTHS}
        seconds={seconds}
        onChange={setSeconds}
      />
      <ListenControls
        begin="Measure link"
        progress={
          flow.state === 'asking'
            ? `Measuring: ${whole(flow.seconds)} of ${flow.wantedSeconds} s, ${flow.answered} replies`
            : null
        }
        problem={flow.state === 'idle' ? flow.problem : null}
        onBegin={() => void measurePeer(peer, session, seconds)}
        onEnd={() => endLinkTake()}
      />
    </div>
  );
}
