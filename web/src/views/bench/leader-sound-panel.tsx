import { HUB_ID } from '@metronomo/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { runLeaderSound } from '../../flow-effects/experiments';
import { Button } from '../../parts/button';
import { useSession } from '../../studio/session';
import { count } from '../../words/numbers';
import { Choice, inputs, useRun } from './experiment-panels';

const BARS = [4, 8, 16, 32];

/** The leader's sound against its own clock or timecode. */
export function LeaderSoundPanel() {
  const rig = useSession(({ rig }) => rig);
  const channels = useSession(({ input }) => input?.channels ?? 0);
  const [chosen, setChosen] = useState<number | null>(null);
  const [bars, setBars] = useState(8);
  const { busy, run } = useRun();
  const leader = rig?.gear.find(({ id }) => id === rig.leaders[0] && id !== HUB_ID);
  if (!rig || !leader)
    return (
      <p className="text-sm text-soft">
        The hub leads. To measure another leader, choose it in{' '}
        <Link to="/rig" className="underline underline-offset-2">
          Rig
        </Link>
        .
      </p>
    );
  const { clickChannel } = rig.input;
  const taken = [clickChannel, ...rig.gear.map(({ returnChannel }) => returnChannel)];
  const options = inputs(channels).filter(([one]) => one !== clickChannel);
  const free = options.find(([one]) => !taken.includes(one))?.[0];
  const channel = chosen ?? leader.returnChannel ?? free ?? options[0]?.[0];
  if (channel === undefined) return <p className="text-sm text-soft">No audio input is open. Open one in Rig.</p>;
  return (
    <div className="flex flex-col gap-4">
      <p className="text-sm">
        {leader.name} leads. Have it play quarter notes with a sharp attack, press play on it, then record.
      </p>
      <Choice label="Leader’s sound" value={channel} options={options} onChange={setChosen} />
      <Choice
        label="Length"
        value={bars}
        options={BARS.map((one) => [one, count(one, 'bar')] as const)}
        onChange={setBars}
      />
      <Button tone="strong" disabled={busy} onClick={() => run(() => runLeaderSound(leader.id, channel, bars))}>
        Record
      </Button>
    </div>
  );
}
