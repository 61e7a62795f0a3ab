import { FASTEST_BPM, SLOWEST_BPM } from '@metronomo/core';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { useSession } from '../../studio/session';
import { runCalibration, runStarts, runDrift, runLoop, runTempo, runTempoMap } from '../../flow-effects/experiments';
import { staysOnQuestion } from '../../studio/asked';
import { StaleRoundTrip, useCalibration } from './round-trip';
import { useTakeFlow } from '../../flow-effects/take-state';
import { Button } from '../../parts/button';
import { Field, Select } from '../../parts/field';
import { withAudioReturn } from '../../store/gear';
import type { Song, Take } from '../../store/records';
import { factsOf } from '../../studio/song-facts';
import { useClockSources } from './clock-sources';
import { count, decimal, whole } from '../../words/numbers';

/** Runs a take, then opens its result. */
export function useRun(): { busy: boolean; run: (goes: () => Promise<Take | null>) => void } {
  const busy = useTakeFlow(({ flow }) => flow.state !== 'idle');
  const navigate = useNavigate();
  const run = (goes: () => Promise<Take | null>) => {
    const stays = staysOnQuestion();
    void goes().then((take) => take && stays() && navigate(`/bench/${take.id}`));
  };
  return { busy, run };
}

export function Choice<Value extends string | number>({
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

export const inputs = (channels: number) => Array.from({ length: channels }, (_, i) => [i, `Input ${i + 1}`] as const);

/** Audio round trip: the input at the end of the loopback cable. */
export function CalibrationPanel() {
  const input = useSession(({ input }) => input);
  const rig = useSession(({ rig }) => rig);
  const clickChannel = rig?.input.clickChannel ?? 0;
  const [channel, setChannel] = useState<number | null>(null);
  const known = useCalibration();
  const { busy, run } = useRun();
  if (!input) return <p className="text-sm text-soft">No audio input is open. Open one in Rig.</p>;
  return (
    <div className="flex flex-col gap-4">
      <p className="text-sm">
        Patch a cable from the output that carries the hub’s click to an input. Some clicks are left out, so that each
        one is recognized when it comes back.
      </p>
      <Choice
        label="Loopback input"
        value={channel ?? clickChannel}
        options={inputs(input.channels)}
        onChange={setChannel}
      />
      <Button tone="strong" disabled={busy} onClick={() => run(() => runCalibration(channel ?? clickChannel))}>
        Measure round trip
      </Button>
      <StaleRoundTrip />
      <p className="text-xs text-soft">
        {known
          ? `Round trip of ${known.input}: ${decimal(known.roundTripMs, 2)} ms, ${whole((known.roundTripMs * known.sampleRate) / 1000)} samples at ${known.sampleRate / 1000} kHz.`
          : `Round trip of ${input.label} not measured yet.`}
      </p>
    </div>
  );
}

/** MIDI round trip: the output and the input port. */
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
    return <p className="text-sm text-soft">This test needs an output port and an input port. Choose both in Rig.</p>;
  return (
    <div className="flex flex-col gap-4">
      <p className="text-sm">
        Connect the output port to the input port with a cable, or through a device with MIDI thru on.
      </p>
      <Choice
        label="Output port"
        value={out.portId}
        options={outs.map(({ portId, name }) => [portId, name] as const)}
        onChange={setOutPort}
      />
      <Choice
        label="Input port"
        value={comesBack.portId}
        options={back.map(({ portId, name }) => [portId, name] as const)}
        onChange={setBackPort}
      />
      <Button tone="strong" disabled={busy} onClick={() => run(() => runLoop(out, comesBack, out.channel))}>
        Send 64 notes
      </Button>
    </div>
  );
}

const RUN_MS = 5000;

/** Timecode lock: the follower, its audio return and the number of starts. */
export function ChasePanel() {
  const rig = useSession(({ rig }) => rig);
  const channels = useSession(({ input }) => input?.channels ?? 0);
  const chasers = (rig?.gear ?? []).filter(({ syncsTo, portId }) => syncsTo === 'timecode' && portId !== null);
  const [gearId, setGearId] = useState<string | null>(null);
  const [channel, setChannel] = useState<number | null>(null);
  const [starts, setStarts] = useState(8);
  const [tape, setTape] = useState('120');
  const { busy, run } = useRun();
  const gear = chasers.find(({ id }) => id === gearId) ?? chasers[0];
  if (!rig || !gear)
    return (
      <p className="text-sm text-soft">
        No gear in this rig syncs to timecode. Set “Syncs to” on a device’s card in Rig.
      </p>
    );
  // Default to an input that carries nothing else.
  const taken = [rig.input.clickChannel, ...rig.gear.map(({ returnChannel }) => returnChannel)];
  const free = inputs(channels).find(([one]) => !taken.includes(one))?.[0];
  const heardOn = channel ?? gear.returnChannel ?? free ?? 0;
  const bpm = Number(tape);
  const runs = Number.isFinite(bpm) && bpm >= 20 && bpm <= 400;
  return (
    <div className="flex flex-col gap-4">
      <p className="text-sm">Record a click on every beat on the device, from the start of the song.</p>
      <Choice
        label="Follower"
        value={gear.id}
        options={chasers.map(({ id, name }) => [id, name] as const)}
        onChange={setGearId}
      />
      <Choice label="Audio return" value={heardOn} options={inputs(channels)} onChange={setChannel} />
      <Choice
        label="Number of starts"
        value={starts}
        options={[4, 8, 16].map((n) => [n, count(n, 'start')] as const)}
        hint={`${Math.round((starts * (RUN_MS + 1700)) / 1000)} s in total; the device stops between starts`}
        onChange={setStarts}
      />
      <Field label="Recorded click, BPM">
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
      <Button
        tone="strong"
        disabled={busy || !runs}
        onClick={() =>
          run(() =>
            runStarts({
              gear: [{ ...gear, returnChannel: heardOn }],
              asks: { question: 'chase' },
              starts,
              runMs: RUN_MS,
              bpm,
            }),
          )
        }
      >
        Measure lock time
      </Button>
    </div>
  );
}

const SHARES = [
  [0.1, '+10%, then back'],
  [0.25, '+25%, then back'],
  [0.5, '+50%, then back'],
  [1, '+100%, then back'],
  [-0.1, '−10%, then back'],
  [-0.25, '−25%, then back'],
  [-0.5, '−50%, then back'],
] as const;

const SONG = 'song';
const LIVE = 'live';
const LISTENS = [
  [30, '30 s'],
  [60, '1 min'],
  [180, '3 min'],
] as const;

/** Tempo response: to a step and a ramp, to the song’s own tempo map, or to what somebody does. */
export function TempoPanel() {
  const [kind, setKind] = useState('step');
  const song = useSession(({ rig }) => rig?.song);
  const changes = useSession(({ rig }) => rig !== null && factsOf(rig.song, rig.bpm).tempo.points.length > 1);
  const options: [string, string][] = [
    ['step', 'A step, and a ramp back'],
    ...(changes ? [[SONG, 'The song’s tempo map'] as [string, string]] : []),
    [LIVE, 'Yours, or the leader’s'],
  ];
  const asked = options.some(([one]) => one === kind) ? kind : 'step';
  return (
    <div className="flex flex-col gap-4">
      <Choice label="Tempo changes" value={asked} options={options} onChange={setKind} />
      {asked === 'step' ? <StepAndRamp /> : asked === SONG && song ? <SongTempo song={song} /> : <LiveTempo />}
    </div>
  );
}

/** The song from its start to its end. */
function SongTempo({ song }: { song: Song }) {
  const gear = withAudioReturn(useSession(({ rig }) => rig?.gear) ?? []);
  const bpm = useSession(({ rig }) => rig?.bpm ?? 120);
  const { tempo, lengthBeats } = factsOf(song, bpm);
  const { busy, run } = useRun();
  return (
    <>
      <p className="text-sm">
        The hub plays the song once, {whole(tempo.msAt(lengthBeats) / 1000)} s. Finish early to measure the part that
        was played.
      </p>
      <Button tone="strong" disabled={busy || gear.length === 0} onClick={() => run(() => runTempoMap(gear, null))}>
        Start tempo test
      </Button>
    </>
  );
}

/** Changes made during the take, in the tempo field or on whatever leads. */
function LiveTempo() {
  const gear = withAudioReturn(useSession(({ rig }) => rig?.gear) ?? []);
  const [seconds, setSeconds] = useState<number>(60);
  const { busy, run } = useRun();
  return (
    <>
      <p className="text-sm">
        Hold the tempo for eight beats, then change it here or on the leader. Hold each new tempo for eight beats, too.
        The click should play quarter notes.
      </p>
      <Choice label="Length" value={seconds} options={LISTENS} onChange={setSeconds} />
      <Button tone="strong" disabled={busy || gear.length === 0} onClick={() => run(() => runTempoMap(gear, seconds))}>
        Start tempo test
      </Button>
    </>
  );
}

/** The size of the step. */
function StepAndRamp() {
  const bpm = useSession(({ rig }) => rig?.bpm ?? 120);
  const gear = withAudioReturn(useSession(({ rig }) => rig?.gear) ?? []);
  const options = SHARES.filter(([one]) => bpm * (1 + one) >= SLOWEST_BPM && bpm * (1 + one) <= FASTEST_BPM);
  const [chosen, setShare] = useState<number>(SHARES[0][0]);
  const [share = 0] = options.find(([one]) => one === chosen) ?? options[0] ?? [];
  const { busy, run } = useRun();
  return (
    <>
      <p className="text-sm">Four bars at your tempo, four at the new tempo, a four-bar ramp back, then four more.</p>
      <Choice label="Tempo change" value={share} options={options} onChange={setShare} />
      <Button tone="strong" disabled={busy || gear.length === 0} onClick={() => run(() => runTempo(gear, share))}>
        Start tempo test
      </Button>
    </>
  );
}

const LENGTHS = [
  [60, '1 min'],
  [600, '10 min'],
  [3600, '1 hour'],
] as const;

/** Drift: the duration. */
export function DriftPanel() {
  const gear = withAudioReturn(useSession(({ rig }) => rig?.gear) ?? []);
  const [seconds, setSeconds] = useState<number>(600);
  const { busy, run } = useRun();
  return (
    <div className="flex flex-col gap-4">
      <p className="text-sm">All gear plays and every landing is logged. No audio is saved.</p>
      <Choice label="Duration" value={seconds} options={LENGTHS} onChange={setSeconds} />
      <Button tone="strong" disabled={busy || gear.length === 0} onClick={() => run(() => runDrift(gear, seconds))}>
        Measure drift
      </Button>
    </div>
  );
}
