import { HUB_ID, type SourceSnapshot } from '@metronomo/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { hub, useSession } from '../../hub/session';
import { Button } from '../../parts/button';
import { StateMark } from '../../parts/state-mark';
import type { Rig } from '../../store/records';

/** What comes in from those that might lead, and, in the demo, hands at the stand-in that leads. */
export function LeaderPanel({ rig }: { rig: Rig }) {
  const sources = useSession(({ snapshot }) => snapshot.sources);
  const leader = useSession(({ snapshot }) => snapshot.leader);
  const nameOf = (id: string) =>
    rig.gear.find((one) => one.id === id)?.name ?? rig.hubSockets.find((one) => one.id === id)?.label ?? id;
  return (
    <div className="flex flex-col gap-3 p-4 text-sm">
      {sources.length === 0 ? (
        <p className="text-soft">
          Nothing comes in to the hub. Draw a cable into it in{' '}
          <Link to="/rig" className="underline">
            Rig
          </Link>
          , and choose who leads there.
        </p>
      ) : (
        <table>
          <caption className="sr-only">What comes in</caption>
          <thead className="text-left text-xs text-soft">
            <tr>
              {['From', 'State', 'Arrives', 'BPM', 'Ticks missing, extra', ''].map((title, i) => (
                <th key={i} className="pr-5 font-normal">
                  {title || <span className="sr-only">Role</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {sources.map((source) => (
              <tr key={source.id}>
                <th scope="row" className="pr-5 text-left">
                  {nameOf(source.id)}
                </th>
                <td className="pr-5">
                  <StateMark state={source.state} />
                </td>
                <td className="pr-5">{arrivesWords(source)}</td>
                <td className="pr-5">{source.bpm?.toFixed(2) ?? '—'}</td>
                <td className="pr-5">
                  {source.missing}, {source.extra}
                </td>
                <td>
                  {source.id === leader ? 'leads' : rig.leaders.includes(source.id) ? 'in the order' : 'is listened to'}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p className="text-soft">
        In order: {rig.leaders.map((id) => (id === HUB_ID ? 'the hub' : nameOf(id))).join(', then ')}.{' '}
        <Link to="/rig" className="underline underline-offset-2">
          Change it in Rig
        </Link>
      </p>
      {rig.demo && <StandInHands name={rig.gear.find(({ id }) => id === 'vole')?.name} />}
    </div>
  );
}

function arrivesWords({ arrives, rolling }: SourceSnapshot): string {
  if (arrives === 'nothing') return 'nothing';
  return `${arrives}, ${rolling ? 'rolling' : 'standing'}`;
}

/** Somebody who stands before the stand-in: the demo has nobody else. */
function StandInHands({ name }: { name: string | undefined }) {
  const [plugged, setPlugged] = useState(true);
  const [bpm, setBpm] = useState(98.2);
  if (!name) return null;
  const turn = (to: number) => {
    setBpm(to);
    void hub.atStandIn({ kind: 'tempo', bpm: to });
  };
  return (
    <fieldset className="flex flex-wrap items-center gap-2 border border-rule p-2.5">
      <legend className="px-1 text-xs text-soft">Your hands at the {name}, a stand-in</legend>
      <Button onClick={() => void hub.atStandIn({ kind: 'play' })}>Press play on it</Button>
      <Button onClick={() => void hub.atStandIn({ kind: 'stop' })}>Press stop on it</Button>
      <label className="inline-flex items-center gap-2">
        its tempo
        <input
          type="range"
          className="accent-[var(--ink)]"
          min={60}
          max={160}
          step={0.1}
          value={bpm}
          aria-label={`Tempo of ${name}`}
          onChange={({ target }) => turn(target.valueAsNumber)}
        />
        {bpm.toFixed(1)}
      </label>
      <Button
        aria-pressed={!plugged}
        onClick={() => {
          setPlugged(!plugged);
          void hub.atStandIn({ kind: 'cable', plugged: !plugged });
        }}
      >
        {plugged ? 'Pull its cable' : 'Put its cable back'}
      </Button>
    </fieldset>
  );
}
