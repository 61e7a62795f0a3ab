import { useState } from 'react';
import { Link } from 'react-router';
import { useSession } from '../../hub/session';
import { endClockTake, runClockTake, useClockFlow } from '../../measure/clock-flow';
import { Button } from '../../parts/button';
import { Field, Select } from '../../parts/field';
import { Notice } from '../../parts/notice';

const LENGTHS = [
  [10, '10 s'],
  [60, '1 min'],
  [600, '10 min'],
  [3600, '1 hour'],
] as const;

/** Which clock, and for how long it is listened to. */
export function ClockPanel() {
  const rig = useSession(({ rig }) => rig);
  const sources = useSession(({ snapshot }) => snapshot.sources);
  const flow = useClockFlow(({ flow }) => flow);
  const [seconds, setSeconds] = useState(60);
  const ins = (rig?.hubSockets ?? []).flatMap(({ id, label, direction, portId }) => {
    if (direction !== 'in' || !portId) return [];
    const cable = rig?.cables.find(({ to }) => to.socketId === id);
    const gear = rig?.gear.find((one) => one.id === cable?.from.gearId);
    return [{ portId, sourceId: gear?.id ?? id, name: gear?.name ?? label }];
  });
  const [portId, setPortId] = useState<string | null>(null);
  const chosen = ins.find((one) => one.portId === portId) ?? ins[0];
  if (!chosen)
    return (
      <p className="text-sm text-soft">
        No port comes in to the hub. Choose one in{' '}
        <Link to="/rig" className="underline">
          Rig
        </Link>
        , under Ports, or draw a cable into the hub.
      </p>
    );
  const arrives = sources.find(({ id }) => id === chosen.sourceId)?.arrives ?? 'nothing';
  return (
    <div className="flex flex-col gap-4">
      <Field label="Clock of">
        {(id) => (
          <Select id={id} value={chosen.portId} onChange={({ target }) => setPortId(target.value)}>
            {ins.map((one) => (
              <option key={one.portId} value={one.portId}>
                {one.name}
              </option>
            ))}
          </Select>
        )}
      </Field>
      <Field label="Listen for" hint={arrives === 'clock' ? 'clock arrives' : `${arrives} arrives there now`}>
        {(id) => (
          <Select id={id} value={seconds} onChange={({ target }) => setSeconds(Number(target.value))}>
            {LENGTHS.map(([length, word]) => (
              <option key={length} value={length}>
                {word}
              </option>
            ))}
          </Select>
        )}
      </Field>
      {flow.state === 'recording' ? (
        <>
          <p className="text-sm" role="status">
            Listening: {flow.seconds.toFixed(0)} of {flow.wantedSeconds} s, {flow.ticks} ticks
          </p>
          <Button onClick={() => endClockTake()}>End it now</Button>
        </>
      ) : (
        <Button tone="strong" disabled={flow.state === 'measuring'} onClick={() => void runClockTake(chosen, seconds)}>
          {flow.state === 'measuring' ? 'Measuring …' : 'Listen'}
        </Button>
      )}
      {flow.state === 'idle' && flow.problem && <Notice>{flow.problem}</Notice>}
    </div>
  );
}
