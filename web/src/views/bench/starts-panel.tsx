import { useState } from 'react';
import { runStarts } from '../../flow-effects/experiments';
import { runStartsByMidi } from '../../flow-effects/starts-by-midi';
import { Button } from '../../parts/button';
import { useSession } from '../../studio/session';
import { factsOf } from '../../studio/song-facts';
import { count } from '../../words/numbers';
import { useMidiInputs } from './clock-sources';
import { Choice, useRun } from './experiment-panels';

const STARTS = [4, 8, 20];
/** Enough to hear a device that begins a bar late. */
const BEATS = 8;
const LEAST_RUN_MS = 3000;
/** Of the hub, to stop and to start. */
const TURN_MS = 1700;
const TOP = 1;
const LATER = 5;
const ALL = 'all';
const MIDI = 'midi ';

/** Repeated starts of clock followers: which ones, by their sound or by the MIDI they send back, how often, and from where. */
export function StartsPanel() {
  const rig = useSession(({ rig }) => rig);
  const bpm = useSession(({ snapshot }) => snapshot.bpm);
  const [chosen, setChosen] = useState(ALL);
  const [starts, setStarts] = useState(8);
  const [bar, setBar] = useState(TOP);
  const { busy, run } = useRun();
  const leaderId = useSession(({ snapshot }) => snapshot.leader);
  const leader = rig?.gear.find(({ id }) => id === leaderId);
  const allInputs = useMidiInputs();
  const followers = (rig?.gear ?? []).filter(
    ({ syncsTo, portId, returnChannel }) => syncsTo === 'clock' && portId !== null && returnChannel !== null,
  );
  // Another leader’s start is timed by its sound.
  const inputs = leader === undefined ? allInputs : [];
  if (!rig || (followers.length === 0 && inputs.length === 0))
    return (
      <p className="text-sm text-soft">
        No device that syncs to clock has an audio return, and no MIDI input is connected. Set “Audio return” on a
        device’s card in Rig.
      </p>
    );
  const options = [
    ...(followers.length > 0 ? [[ALL, `All ${count(followers.length, 'device')}`] as const] : []),
    ...followers.map(({ id, name }) => [id, name] as const),
    ...inputs.map(({ portId, name }) => [MIDI + portId, `MIDI from ${name}`] as const),
  ];
  const key = options.find(([one]) => one === chosen)?.[0] ?? options[0]?.[0] ?? ALL;
  const port = inputs.find(({ portId }) => MIDI + portId === key);
  const gear = key === ALL ? followers : followers.filter(({ id }) => id === key);
  const runMs = Math.max(LEAST_RUN_MS, (BEATS * 60_000) / bpm);
  const fromBeat = factsOf(rig.song, rig.bpm).meter.beatAt({ bar, beat: 1, ticks: 0 });
  return (
    <div className="flex flex-col gap-4">
      <p className="text-sm">
        {port
          ? 'Turn on clock or note output on the device, and let it play quarter notes. What it sends back is timed, not its sound.'
          : 'Devices should play quarter notes with a sharp attack.'}
        {leader !== undefined && ` ${leader.name} leads: you are asked to start and stop it.`}
      </p>
      <Choice label="Followers" value={key} options={options} onChange={setChosen} />
      {leader === undefined && (
        <Choice
          label="Start at"
          value={bar}
          options={[
            [TOP, 'Start of the song'],
            [LATER, `Bar ${LATER}, after a locate`],
          ]}
          onChange={setBar}
        />
      )}
      <Choice
        label="Number of starts"
        value={starts}
        options={STARTS.map((n) => [n, count(n, 'start')] as const)}
        hint={`${Math.round((starts * (runMs + TURN_MS)) / 1000)} s in total; playback stops between starts`}
        onChange={setStarts}
      />
      <Button
        tone="strong"
        disabled={busy}
        onClick={() =>
          run(() =>
            port
              ? runStartsByMidi({ port, fromBeat, starts, runMs, bpm })
              : runStarts({ gear, asks: { question: 'starts', fromBeat }, starts, runMs, bpm }),
          )
        }
      >
        Measure starts
      </Button>
    </div>
  );
}
