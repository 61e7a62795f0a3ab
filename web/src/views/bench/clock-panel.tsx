import { useState } from 'react';
import { Link } from 'react-router';
import { useSession } from '../../studio/session';
import { endClockTake, runClockTake, runTrafficTakes, useClockFlow } from '../../flow-effects/clock-flow';
import { Field, Select } from '../../parts/field';
import { useClockSources } from './clock-sources';
import { TrafficChoice, trafficLines } from './traffic-choice';
import { LengthField, ListenControls } from './listen-controls';
import { count, whole } from '../../words/numbers';

const RECEIVING = {
  nothing: 'No signal right now',
  clock: 'Receiving clock',
  timecode: 'Receiving timecode right now',
} as const;

const LENGTHS = [
  [10, '10 s'],
  [60, '1 min'],
  [600, '10 min'],
  [3600, '1 hour'],
] as const;

/** Which clock to measure, and for how long. */
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
        The hub has no input port. Choose one in{' '}
        <Link to="/rig" className="underline">
          Rig
        </Link>
        , under Ports, or draw a cable to the hub.
      </p>
    );
  const others = ins.filter((one) => one.portId !== chosen.portId);
  const against = others.find((one) => one.portId === otherId);
  const line = trafficLines(gear ?? []).find((one) => one.portId === lineId);
  const begin = () =>
    void (line
      ? runTrafficTakes(chosen, seconds, line)
      : runClockTake(chosen, seconds, against ? { against: { portId: against.portId, name: against.name } } : {}));
  const arrives = sources.find(({ id }) => id === chosen.sourceId)?.receiving ?? 'nothing';
  return (
    <div className="flex flex-col gap-4">
      <Field label="Clock source" hint={RECEIVING[arrives]}>
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
        <Field label="Compare with">
          {(id) => (
            <Select id={id} value={otherId} onChange={({ target }) => setOtherId(target.value)}>
              <option value="">No other clock</option>
              {others.map((one) => (
                <option key={one.portId} value={one.portId}>
                  {one.name}
                </option>
              ))}
            </Select>
          )}
        </Field>
      )}
      <TrafficChoice lineId={lineId} onChange={setLineId} />
      <LengthField label="Duration" lengths={LENGTHS} seconds={seconds} onChange={setSeconds} />
      <ListenControls
        begin={flow.state === 'measuring' ? 'Calculating…' : 'Measure clock'}
        busy={flow.state === 'measuring'}
        progress={
          flow.state === 'recording'
            ? `Measuring: ${whole(flow.seconds)} of ${flow.wantedSeconds} s, ${count(flow.ticks, 'tick')}`
            : null
        }
        problem={flow.state === 'idle' ? flow.problem : null}
        onBegin={begin}
        onEnd={() => endClockTake()}
      />
    </div>
  );
}
