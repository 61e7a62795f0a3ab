import { HUB_ID, type SourceSnapshot } from '@metronomo/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { hub } from '../../studio/workers';
import { useSession } from '../../studio/session';
import { Button } from '../../parts/button';
import { StateMark } from '../../parts/state-mark';
import type { Rig } from '../../store/records';
import { apartText, behindText, standsText } from '../../parts/apart-words';
import { decimal } from '../../words/numbers';

/** Sync arriving from every possible leader and, in the demo, the controls of the stand-in that can lead. */
export function IncomingSyncPanel({ rig }: { rig: Rig }) {
  const sources = useSession(({ snapshot }) => snapshot.sources);
  const leader = useSession(({ snapshot }) => snapshot.leader);
  const nameOf = (id: string) =>
    rig.gear.find((one) => one.id === id)?.name ?? rig.hubSockets.find((one) => one.id === id)?.label ?? id;
  const socketOf = (portId: string) => rig.hubSockets.find((one) => one.portId === portId)?.label ?? portId;
  const sourceName = (id: string) => nameOf(sources.find((one) => one.id === id)?.gearId ?? id);
  return (
    <div className="flex flex-col gap-3 p-4 text-sm">
      <p className="text-soft">
        {rig.takeOver === 'whoeverPlays' ? 'Whoever plays leads, of ' : 'Fallback order: '}
        {rig.leaders
          .map((id) => (id === HUB_ID ? 'the hub' : nameOf(id)))
          .join(rig.takeOver === 'whoeverPlays' ? ', ' : ', then ')}
        .{' '}
        <Link to="/rig" className="underline underline-offset-2">
          Change order in Rig
        </Link>
      </p>
      {sources.length === 0 ? (
        <p className="text-soft">
          No incoming sync. Connect a device to the hub in{' '}
          <Link to="/rig" className="underline">
            Rig
          </Link>
          , then choose the leader there.
        </p>
      ) : (
        <div className="overflow-x-auto" role="group" aria-label="Incoming sync, scrolls" tabIndex={0}>
          <table>
            <caption className="sr-only">Incoming sync</caption>
            <thead className="text-left text-xs text-soft">
              <tr>
                {['Source', 'Role', 'State', 'Signal', 'BPM', 'MIDI compared', 'Missing / extra'].map((title) => (
                  <th key={title} className="pr-5 font-normal">
                    {title}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {sources.map((source) => (
                <tr key={source.id}>
                  <th scope="row" className="pr-5 text-left">
                    {nameOf(source.gearId)}
                    {sources.some((one) => one !== source && one.gearId === source.gearId) && (
                      <span className="font-normal text-soft"> · {socketOf(source.portId)}</span>
                    )}
                  </th>
                  <td className="pr-5">
                    {source.gearId === leader
                      ? 'Leader'
                      : rig.leaders.includes(source.gearId)
                        ? 'Standby'
                        : 'Monitored only'}
                  </td>
                  <td className="pr-5">
                    <StateMark state={source.state} />
                  </td>
                  <td className="pr-5">{signalWords(source)}</td>
                  <td className="pr-5">{source.bpm === null ? '—' : decimal(source.bpm, 2)}</td>
                  <td className="pr-5">
                    {(source.apart || !source.behind) && <Compared {...source} follows={source.gearId === leader} />}
                    {source.behind && (
                      <span className="block">{behindText(source.behind, sourceName(source.behind.id))}</span>
                    )}
                  </td>
                  <td className="pr-5">
                    {source.missing} / {source.extra}
                    {source.ignored.length > 0 && (
                      <span className="block text-soft">MMC ignored: {source.ignored.join(', ')}</span>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      <WaitsForPlay name={nameOf(leader)} leader={leader} />
      {rig.demo && <StandInControls name={rig.gear.find(({ id }) => id === 'vole')?.name} />}
    </div>
  );
}

/** Where the device is by its MIDI alone: the sound may come later. */
function Compared({ apart, follows }: Pick<SourceSnapshot, 'apart'> & { follows: boolean }) {
  const hubBpm = useSession(({ snapshot }) => snapshot.bpm);
  if (!apart) return <>—</>;
  if (apart.kind === 'stopped') return <>{standsText(apart)}</>;
  const jitter = `jitter ${decimal(apart.jitterMs, 2)} ms`;
  if (apart.drifts) return <span title={`The hub plays at ${decimal(hubBpm, 2)} BPM.`}>drifting, {jitter}</span>;
  return (
    <>
      {apartText(apart, hubBpm)} <span className="text-soft">{jitter}</span>
      {follows && <span className="text-soft"> (the hub follows it)</span>}
    </>
  );
}

/** Many devices send clock only while playing. */
function WaitsForPlay({ name, leader }: { name: string; leader: string }) {
  const waits = useSession(({ snapshot }) => {
    const own = snapshot.sources.filter(({ gearId }) => gearId === leader);
    return snapshot.state === 'stopped' && own.length > 0 && own.every(({ receiving }) => receiving === 'nothing');
  });
  const bpm = useSession(({ snapshot }) => snapshot.bpm);
  if (!waits) return null;
  return (
    <p className="text-soft" role="note">
      {name} isn’t sending sync. If it sends clock only while playing, the tempo stays at {decimal(bpm, 1)} BPM until
      you press play on {name}.
    </p>
  );
}

function signalWords({ receiving, rolling }: SourceSnapshot): string {
  if (receiving === 'nothing') return 'none';
  return `${receiving}, ${rolling ? 'playing' : 'stopped'}`;
}

/** The controls of the demo's stand-in leader. */
function StandInControls({ name }: { name: string | undefined }) {
  const [plugged, setPlugged] = useState(true);
  const [bpm, setBpm] = useState(98.2);
  if (!name) return null;
  const turn = (to: number) => {
    setBpm(to);
    void hub.atStandIn({ kind: 'tempo', bpm: to });
  };
  return (
    <fieldset className="flex flex-wrap items-center gap-2 border border-rule p-2.5">
      <legend className="px-1 text-xs text-soft">{name} controls (stand-in)</legend>
      <Button onClick={() => void hub.atStandIn({ kind: 'play' })}>Start {name}</Button>
      <Button onClick={() => void hub.atStandIn({ kind: 'stop' })}>Stop {name}</Button>
      <label className="inline-flex items-center gap-2">
        Tempo
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
        {decimal(bpm, 1)}
      </label>
      <Button
        aria-pressed={!plugged}
        onClick={() => {
          setPlugged(!plugged);
          void hub.atStandIn({ kind: 'cable', plugged: !plugged });
        }}
      >
        {plugged ? 'Unplug cable' : 'Plug cable in'}
      </Button>
    </fieldset>
  );
}
