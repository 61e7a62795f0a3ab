import { useState } from 'react';
import { Link } from 'react-router';
import { useSession } from '../../hub/session';
import { endClockTake, runClockTake, runTrafficTakes, useClockFlow } from '../../measure/clock-flow';
import { Field, Select } from '../../parts/field';
import { useClockSources } from './clock-sources';
import { LengthField, ListenControls } from './listen-controls';

const LENGTHS = [
  [10, '10 s'],
  [60, '1 min'],
  [600, '10 min'],
  [3600, '1 hour'],
] as const;

/** Which clock, and for how long it is listened to. */
export function ClockPanel() {
  const gear = useSession(({ rig }) => rig?.gear);
  const sources = useSession(({ snapshot }) => snapshot.sources);
  const flow = useClockFlow(({ flow }) => flow);
  const [seconds, setSeconds] = useState(60);
  const ins = useClockSources();
  const [portId, setPortId] = useState<string | null>(null);
  const [otherId, setOtherId] = useState('');
  const [lineId, setLineId] = useState('');
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
  const others = ins.filter((one) => one.portId !== chosen.portId);
  const against = others.find((one) => one.portId === otherId);
  const lines = (gear ?? []).flatMap(({ portId, name, set }) =>
    portId === null ? [] : [{ portId, name, channel: set.channels[0] ?? 1 }],
  );
  const line = lines.find((one) => one.portId === lineId);
  const listen = () =>
    void (line
      ? runTrafficTakes(chosen, seconds, line)
      : runClockTake(chosen, seconds, against ? { against: { portId: against.portId, name: against.name } } : {}));
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
      {others.length > 0 && (
        <Field label="Against">
          {(id) => (
            <Select id={id} value={otherId} onChange={({ target }) => setOtherId(target.value)}>
              <option value="">nothing else</option>
              {others.map((one) => (
                <option key={one.portId} value={one.portId}>
                  {one.name}
                </option>
              ))}
            </Select>
          )}
        </Field>
      )}
      <Field label="Traffic" hint={line ? 'first quiet, then with notes, a knob and dumps on that line' : ''}>
        {(id) => (
          <Select id={id} value={lineId} onChange={({ target }) => setLineId(target.value)}>
            <option value="">none</option>
            {lines.map((one) => (
              <option key={one.portId} value={one.portId}>
                down the line to {one.name}
              </option>
            ))}
          </Select>
        )}
      </Field>
      <LengthField
        label="Listen for"
        hint={arrives === 'clock' ? 'clock arrives' : `${arrives} arrives there now`}
        lengths={LENGTHS}
        seconds={seconds}
        onChange={setSeconds}
      />
      <ListenControls
        begin={flow.state === 'measuring' ? 'Measuring …' : 'Listen'}
        busy={flow.state === 'measuring'}
        progress={
          flow.state === 'recording'
            ? `Listening: ${flow.seconds.toFixed(0)} of ${flow.wantedSeconds} s, ${flow.ticks} ticks`
            : null
        }
        problem={flow.state === 'idle' ? flow.problem : null}
        onBegin={listen}
        onEnd={() => endClockTake()}
      />
    </div>
  );
}
