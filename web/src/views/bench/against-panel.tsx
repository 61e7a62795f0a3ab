import { useState } from 'react';
import { runAgainst, type AgainstWhat, type HeardOn } from '../../flow-effects/experiments';
import type { Gear } from '../../store/records';
import { Button } from '../../parts/button';
import { useSession } from '../../studio/session';
import { count } from '../../words/numbers';
import { Choice, useRun } from './experiment-panels';

const ALL = 'all';
const WHAT: readonly (readonly [AgainstWhat, string])[] = [
  ['lateness', 'Lateness'],
  ['starts', 'Starts and stops'],
  ['tempo', 'Tempo changes'],
  ['drift', 'Drift'],
];
const HOW_TO: Record<AgainstWhat, string> = {
  lateness: 'Press play on the leader, then record.',
  starts: 'Record, then start and stop the leader several times: a few bars each, with pauses of at least two seconds.',
  tempo:
    'Press play on the leader, then record. Hold the tempo for eight beats, change it, and hold each new tempo for eight beats, too.',
  drift: 'Press play on the leader, then record. A longer take shows smaller drift.',
};
/** Lengths in seconds, and the first choice among them. */
const SHORT = { lengths: [10, 20, 60, 180], usual: 20 };
const LONG = { lengths: [60, 180, 600], usual: 60 };
const LENGTHS: Record<AgainstWhat, typeof SHORT> = { lateness: SHORT, starts: LONG, tempo: LONG, drift: LONG };

/** Followers against the sound of the device that leads. */
export function AgainstPanel() {
  const rig = useSession(({ rig }) => rig);
  const input = useSession(({ input }) => input);
  const leaders = useSession(({ rig }) => rig?.leaders);
  const [leaderKey, setLeaderKey] = useState<string | null>(null);
  const [followerKey, setFollowerKey] = useState<string | null>(null);
  const [asked, setAsked] = useState<AgainstWhat>('lateness');
  const [length, setLength] = useState<number | null>(null);
  const { lengths, usual } = LENGTHS[asked];
  const seconds = length !== null && lengths.includes(length) ? length : usual;
  const { busy, run } = useRun();
  if (!rig || !input) return <p className="text-sm text-soft">No audio input is open. Open one in Rig.</p>;
  const heard = heardOn(rig.gear, input.channels);
  const leads = heard.find(({ key }) => leaders?.includes(key));
  const leader = heard.find(({ key }) => key === leaderKey) ?? leads ?? heard[0];
  const others = heard.filter(({ channel }) => channel !== leader?.channel);
  if (!leader) return <p className="text-sm text-soft">The audio interface has no inputs.</p>;
  const withReturn = others.filter(({ gear }) => gear !== null);
  const followers = [
    ...(withReturn.length > 1 ? [[ALL, `All ${count(withReturn.length, 'device')}`] as const] : []),
    ...others.map(({ key, text }) => [key, text] as const),
  ];
  const follower = followers.find(([key]) => key === followerKey)?.[0] ?? followers[0]?.[0] ?? ALL;
  const chosen = follower === ALL ? withReturn : others.filter(({ key }) => key === follower);
  return (
    <div className="flex flex-col gap-4">
      <Choice label="Measure" value={asked} options={WHAT} onChange={setAsked} />
      <p className="text-sm">{HOW_TO[asked]} All devices should play quarter notes with a sharp attack.</p>
      <Choice
        label="Leader’s sound"
        value={leader.key}
        options={heard.map(({ key, text }) => [key, text] as const)}
        onChange={setLeaderKey}
      />
      <Choice label="Follower" value={follower} options={followers} onChange={setFollowerKey} />
      <Choice
        label="Length"
        value={seconds}
        options={lengths.map((one) => [one, one < 120 ? `${one} s` : `${one / 60} min`] as const)}
        onChange={setLength}
      />
      <Button
        tone="strong"
        disabled={busy || chosen.length === 0}
        onClick={() => run(() => runAgainst(leader, chosen, { seconds, asked }))}
      >
        Record
      </Button>
    </div>
  );
}

interface Heard extends HeardOn {
  key: string;
  text: string;
}

/** Gear with an audio return, then inputs that no device is assigned to. */
function heardOn(gear: readonly Gear[], channels: number): Heard[] {
  const known = gear.flatMap((one): Heard[] =>
    one.returnChannel === null || one.returnChannel >= channels
      ? []
      : [{ gear: one, name: one.name, channel: one.returnChannel, key: one.id, text: one.name }],
  );
  const free = Array.from({ length: channels }, (_, channel) => channel).filter(
    (channel) => !known.some((one) => one.channel === channel),
  );
  return [
    ...known,
    ...free.map((channel): Heard => {
      const name = `Input ${channel + 1}`;
      return { gear: null, name, channel, key: `input ${channel}`, text: name };
    }),
  ];
}
