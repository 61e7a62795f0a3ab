import { useLiveQuery } from 'dexie-react-hooks';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { useSession } from '../../hub/session';
import { runCalibration, runChase, runDrift, runLoop, runTempo } from '../../measure/experiments';
import { useTakeFlow } from '../../measure/take-parts';
import { Button } from '../../parts/button';
import { Field, Select } from '../../parts/field';
import { findCalibration } from '../../store/calibrations';
import { heardOf } from '../../store/gear';
import type { Take } from '../../store/records';
import { useClockSources } from './clock-sources';

/** Runs a take and goes to it. */
function useRun(): { busy: boolean; run: (goes: () => Promise<Take | null>) => void } {
  const busy = useTakeFlow(({ flow }) => flow.state !== 'idle');
  const navigate = useNavigate();
  const run = (goes: () => Promise<Take | null>) => void goes().then((take) => take && navigate(`/bench/${take.id}`));
  return { busy, run };
}

function Choice<Value extends string | number>({
  label,
  hint,
  value,
  options,
  onChange,
}: {
  label: string;
  hint?: string;
  value: Value;
  options: readonly (readonly [Value, string])[];
  onChange: (value: Value) => void;
}) {
  return (
    <Field label={label} {...(hint && { hint })}>
      {(id) => (
        <Select
          id={id}
          value={value}
          onChange={({ target }) => {
            const chosen = options.find(([one]) => String(one) === target.value);
            if (chosen) onChange(chosen[0]);
          }}
        >
          {options.map(([one, words]) => (
            <option key={one} value={one}>
              {words}
            </option>
          ))}
        </Select>
      )}
    </Field>
  );
}

const inputs = (count: number) => Array.from({ length: count }, (_, i) => [i, `input ${i + 1}`] as const);

/** Which input the cable from the output goes to. */
export function CalibrationPanel() {
  const input = useSession(({ input }) => input);
  const clickChannel = useSession(({ rig }) => rig?.input.clickChannel ?? 0);
  const [channel, setChannel] = useState<number | null>(null);
  const known = useLiveQuery(() => findCalibration(input?.label ?? ''), [input?.label]);
  const { busy, run } = useRun();
  if (!input) return <p className="text-sm text-soft">No audio input is open. Open one in Rig.</p>;
  return (
    <div className="flex flex-col gap-4">
      <p className="text-sm">Run a cable from the output that plays the hub’s click to an input.</p>
      <Choice
        label="The cable goes to"
        value={channel ?? clickChannel}
        options={inputs(input.channels)}
        onChange={setChannel}
      />
      <Button tone="strong" disabled={busy} onClick={() => run(() => runCalibration(channel ?? clickChannel))}>
        Measure the path
      </Button>
      <p className="text-xs text-soft">
        {known
          ? `Known for ${known.input}: ${known.roundTripMs.toFixed(2)} ms, ${((known.roundTripMs * known.sampleRate) / 1000).toFixed(0)} samples at ${known.sampleRate / 1000} kHz.`
          : `Not known yet for ${input.label}.`}
      </p>
    </div>
  );
}

/** Out where, and back where. */
export function LoopPanel() {
  const rig = useSession(({ rig }) => rig);
  const back = useClockSources();
  const outs = (rig?.gear ?? []).flatMap(({ portId, name, set }) =>
    portId === null ? [] : [{ portId, name, channel: set.channels[0] ?? 1 }],
  );
  const [outPort, setOutPort] = useState<string | null>(null);
  const [backPort, setBackPort] = useState<string | null>(null);
  const { busy, run } = useRun();
  const comesBack = back.find(({ portId }) => portId === backPort) ?? back[0];
  const out =
    outs.find(({ portId }) => portId === outPort) ?? outs.find(({ portId }) => portId === comesBack?.portId) ?? outs[0];
  if (!out || !comesBack)
    return <p className="text-sm text-soft">This needs a port out and a port that comes in. Choose both in Rig.</p>;
  return (
    <div className="flex flex-col gap-4">
      <p className="text-sm">A cable from the out to the in, or gear between them with thru on.</p>
      <Choice
        label="Out to"
        value={out.portId}
        options={outs.map(({ portId, name }) => [portId, name] as const)}
        onChange={setOutPort}
      />
      <Choice
        label="Back from"
        value={comesBack.portId}
        options={back.map(({ portId, name }) => [portId, name] as const)}
        onChange={setBackPort}
      />
      <Button tone="strong" disabled={busy} onClick={() => run(() => runLoop(out, comesBack, out.channel))}>
        Send 64 notes round
      </Button>
    </div>
  );
}

const RUN_MS = 5000;

/** Who chases, where it is heard, and how often it is started. */
export function ChasePanel() {
  const rig = useSession(({ rig }) => rig);
  const channels = useSession(({ input }) => input?.channels ?? 0);
  const chasers = (rig?.gear ?? []).filter(({ takes, portId }) => takes === 'timecode' && portId !== null);
  const [gearId, setGearId] = useState<string | null>(null);
  const [channel, setChannel] = useState<number | null>(null);
  const [starts, setStarts] = useState(8);
  const [tape, setTape] = useState('120');
  const { busy, run } = useRun();
  const gear = chasers.find(({ id }) => id === gearId) ?? chasers[0];
  if (!rig || !gear)
    return <p className="text-sm text-soft">Nobody in this rig takes timecode. Set it on the gear’s card in Rig.</p>;
  // One that nothing else is heard on.
  const taken = [rig.input.clickChannel, ...rig.gear.map(({ returnChannel }) => returnChannel)];
  const free = inputs(channels).find(([one]) => !taken.includes(one))?.[0];
  const heardOn = channel ?? gear.returnChannel ?? free ?? 0;
  const bpm = Number(tape);
  const runs = Number.isFinite(bpm) && bpm >= 20 && bpm <= 400;
  return (
    <div className="flex flex-col gap-4">
      <Choice
        label="Who chases"
        value={gear.id}
        options={chasers.map(({ id, name }) => [id, name] as const)}
        onChange={setGearId}
      />
      <Choice label="Heard on" value={heardOn} options={inputs(channels)} onChange={setChannel} />
      <Field label="Click on its tape, BPM" hint="from the beginning of the song, a click on every beat">
        {(id) => (
          <input
            id={id}
            inputMode="decimal"
            value={tape}
            aria-invalid={!runs}
            onChange={({ target }) => setTape(target.value.slice(0, 8))}
            className="w-full border border-rule px-2 py-1.5 text-sm hover:border-ink aria-invalid:text-wrong"
          />
        )}
      </Field>
      <Choice
        label="Starts"
        value={starts}
        options={[4, 8, 16].map((count) => [count, `${count} times`] as const)}
        hint={`${Math.round((starts * (RUN_MS + 1700)) / 1000)} s; the tape stops in between`}
        onChange={setStarts}
      />
      <Button
        tone="strong"
        disabled={busy || !runs}
        onClick={() => run(() => runChase({ gear, channel: heardOn, starts, runMs: RUN_MS, bpm }))}
      >
        Start and stop it
      </Button>
    </div>
  );
}

const SHARES = [
  [0.1, '10 % faster and back'],
  [0.25, '25 % faster and back'],
  [-0.1, '10 % slower and back'],
] as const;

/** How far the tempo changes. */
export function TempoPanel() {
  const gear = heardOf(useSession(({ rig }) => rig?.gear) ?? []);
  const [share, setShare] = useState<number>(SHARES[0][0]);
  const { busy, run } = useRun();
  return (
    <div className="flex flex-col gap-4">
      <p className="text-sm">Four bars even, a step, four bars, a ramp back over four, and four more.</p>
      <Choice label="The tempo goes" value={share} options={SHARES} onChange={setShare} />
      <Button tone="strong" disabled={busy || gear.length === 0} onClick={() => run(() => runTempo(gear, share))}>
        Change the tempo
      </Button>
    </div>
  );
}

const LENGTHS = [
  [60, '1 minute'],
  [600, '10 minutes'],
  [3600, '1 hour'],
] as const;

/** For how long it is watched. */
export function DriftPanel() {
  const gear = heardOf(useSession(({ rig }) => rig?.gear) ?? []);
  const [seconds, setSeconds] = useState<number>(600);
  const { busy, run } = useRun();
  return (
    <div className="flex flex-col gap-4">
      <p className="text-sm">Everybody plays, and each landing is written down; the sound is not kept.</p>
      <Choice label="Watch for" value={seconds} options={LENGTHS} onChange={setSeconds} />
      <Button tone="strong" disabled={busy || gear.length === 0} onClick={() => run(() => runDrift(gear, seconds))}>
        Watch for drift
      </Button>
    </div>
  );
}
