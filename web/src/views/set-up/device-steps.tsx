import { probeKind, PROBE_BEATS, SHELF, type GearKind, type HeardOnInput } from '@metronomo/core';
import clsx from 'clsx';
import { useEffect, useRef, useState } from 'react';
import {
  endSearch,
  portThatPlays,
  tryOutputs,
  useSetUp,
  watchInputs,
  type PortChoice,
} from '../../flow-effects/set-up-flow';
import { Button } from '../../parts/button';
import { Field, Select } from '../../parts/field';
import { Levels } from '../../parts/levels';
import { signalWords } from '../../parts/midi-words';
import { onSameInput } from '../../store/gear';
import type { Gear, Rig } from '../../store/records';
import { useMidiAccess, webMidi } from '../../ports/web-midi';
import { hub } from '../../studio/workers';
import { useSession } from '../../studio/session';
import { count, decimal } from '../../words/numbers';
import { StepFrame } from './step-frame';
import { useStudioPorts } from './use-studio-ports';

interface Ways {
  above: string;
  onBack: () => void;
}

/** First, the input port that moves when the device is played. */
export function InputStep({
  above,
  practice,
  onBack,
  onDone,
}: Ways & { practice: boolean; onDone: (port: PortChoice | null) => void }) {
  const { inputs } = useStudioPorts();
  const moved = useSetUp(({ moved }) => moved);
  useEffect(() => {
    watchInputs();
    return endSearch;
  }, []);
  const port = inputs.find(({ id }) => id === moved?.portId) ?? null;
  return (
    <StepFrame
      above={above}
      title="Play the device"
      says="Press a key, turn a knob, or press start on the device you want to add. The input that it moves is where its MIDI comes in."
      ways={
        <>
          <Button onClick={onBack}>Back</Button>
          {port && (
            <Button tone="strong" onClick={() => onDone(port)}>
              Use {port.name}
            </Button>
          )}
          {port && <Button onClick={watchInputs}>Play it again</Button>}
          <Button tone={port ? 'plain' : 'strong'} onClick={() => onDone(null)}>
            It sends no MIDI
          </Button>
          {practice && !port && (
            <Button onClick={() => void hub.atStandIn({ kind: 'press', note: 60, velocity: 100 })}>
              Press a stand-in key
            </Button>
          )}
        </>
      }
      help="Most drum machines and many synthesizers only receive. That is fine: skip this step."
    >
      <p role="status" className="text-lg font-bold">
        {port && moved
          ? `${port.name}: ${signalWords(moved.signal)}`
          : inputs.length === 0
            ? 'No MIDI inputs are connected.'
            : `Listening on ${count(inputs.length, 'input')}…`}
      </p>
    </StepFrame>
  );
}

/** Its type and its name, the only field to type in. */
export function KindStep({
  above,
  gear,
  freeName,
  onBack,
  onDone,
}: Ways & { gear: Gear | null; freeName: (wanted: string) => string; onDone: (kind: GearKind, name: string) => void }) {
  const [kind, setKind] = useState<GearKind | null>(gear?.kind ?? null);
  const [name, setName] = useState(gear?.name ?? '');
  const nameOf = (one: GearKind) => SHELF.find((template) => template.kind === one)?.name ?? '';
  const done = () => {
    if (kind) onDone(kind, name.trim() || freeName(nameOf(kind)));
  };
  return (
    <StepFrame
      above={above}
      title="What is it?"
      says="Pick the closest type. You can change everything later."
      ways={
        <>
          <Button onClick={onBack}>Back</Button>
          <Button tone="strong" disabled={!kind} onClick={done}>
            Continue
          </Button>
        </>
      }
    >
      <ul className="grid grid-cols-2 gap-2 sm:grid-cols-3" aria-label="Gear types">
        {SHELF.map(({ kind: one, name: words }) => (
          <li key={one}>
            <Button
              className={clsx('w-full', kind === one && '!bg-ink !text-sheet')}
              aria-pressed={kind === one}
              onClick={() => {
                if (name === '' || (kind && name === freeName(nameOf(kind)))) setName(freeName(words));
                setKind(one);
              }}
            >
              {words}
            </Button>
          </li>
        ))}
      </ul>
      <Field label="Name">
        {(id) => (
          <input
            id={id}
            value={name}
            maxLength={40}
            className="w-full max-w-80 border border-rule px-2 py-1.5"
            onChange={({ target }) => setName(target.value)}
            onKeyDown={({ key }) => key === 'Enter' && done()}
          />
        )}
      </Field>
    </StepFrame>
  );
}

/** The output that reaches it: a bar is played on one after the other. */
export function OutputStep({
  above,
  rig,
  gear,
  onBack,
  onDone,
}: Ways & { rig: Rig; gear: Gear; onDone: (port: PortChoice | null, heard: HeardOnInput | null) => void }) {
  const { outputs } = useStudioPorts();
  const { sysex } = useMidiAccess();
  const { trying, tried, answer } = useSetUp();
  const main = useRef<HTMLButtonElement>(null);
  const usedBy = (port: PortChoice) =>
    rig.gear.find(({ id, portId }) => id !== gear.id && portId === port.id)?.name ?? null;
  const free = outputs.filter((port) => usedBy(port) === null);
  const left = free.filter(({ id }) => !(id in tried));
  const isPosition = probeKind(gear) === 'position';
  useEffect(() => endSearch, []);
  // Where the next press belongs.
  const idle = trying === null;
  useEffect(() => main.current?.focus(), [idle, answer]);
  const start = (ports: readonly PortChoice[]) => void tryOutputs(gear, ports);
  const take = (port: PortChoice | null, heard: HeardOnInput | null) => {
    endSearch();
    onDone(port, heard);
  };
  return (
    <StepFrame
      above={above}
      waysFirst
      title={answer ? `Is this ${gear.name}?` : `Which output reaches ${gear.name}?`}
      says={
        answer
          ? `After ${answer.port.name} had played, input ${answer.heard.channel + 1} heard ${answer.heard.heard} of ${answer.heard.of} beats, ${decimal(answer.heard.lagMs, 0)} ms after each.`
          : isPosition
            ? 'The hub sends the position 01:00:00:00 on each output in turn. Press the button, or Enter, as soon as the device’s display jumps there.'
            : 'The hub plays one bar on each output in turn, with start and stop. Press the button, or Enter, as soon as the device plays.'
      }
      ways={
        <>
          <Button onClick={onBack}>Back</Button>
          {answer ? (
            <Button ref={main} tone="strong" onClick={() => take(answer.port, answer.heard)}>
              Yes, use {answer.port.name}
            </Button>
          ) : trying ? (
            <Button ref={main} tone="strong" onClick={() => take(portThatPlays(), null)}>
              {isPosition ? 'It jumped' : 'It is playing'}
            </Button>
          ) : (
            <Button
              ref={main}
              tone="strong"
              disabled={free.length === 0}
              onClick={() => start(left.length > 0 ? left : free)}
            >
              {Object.keys(tried).length > 0 && left.length === 0 ? 'Try all again' : 'Try the outputs'}
            </Button>
          )}
          {answer && (
            <Button onClick={() => start(left)} disabled={left.length === 0}>
              No, try the next output
            </Button>
          )}
          {trying && <Button onClick={endSearch}>Pause</Button>}
          <Button onClick={() => take(null, null)}>It has no MIDI input</Button>
          {isPosition && !rig.demo && !sysex && (
            <Button onClick={() => void webMidi.request({ sysex: true })}>Allow SysEx</Button>
          )}
        </>
      }
      help={
        isPosition ? (
          <>
            Nothing jumps? Set the recorder to chase <b>MIDI timecode</b>, and allow SysEx if the browser asks.
          </>
        ) : (
          <>
            Nothing plays? Most devices start only when their clock source is set to <b>external</b> or <b>auto</b>. It
            usually sits in a menu called MIDI, Sync or Utility.
          </>
        )
      }
    >
      <ul aria-label="Outputs" className="flex flex-col">
        {outputs.map((port) => {
          const taken = usedBy(port);
          const result = tried[port.id];
          const now = trying?.port.id === port.id;
          return (
            <li
              key={port.id}
              className="ruled-b grid min-h-11 grid-cols-[1fr_auto_10rem_10rem] items-center gap-4 py-1 max-sm:grid-cols-[1fr_auto]"
            >
              <span
                className={clsx('truncate', (now || answer?.port.id === port.id) && 'font-bold', taken && 'text-soft')}
              >
                {port.name}
              </span>
              {now && trying ? <Beats beatsMs={trying.beatsMs} /> : <span className="max-sm:hidden" />}
              <span className="truncate text-sm text-soft max-sm:empty:hidden">
                {taken
                  ? `used by ${taken}`
                  : now
                    ? 'playing'
                    : result === 'nothing'
                      ? 'tried, not heard'
                      : result
                        ? `heard on input ${result.channel + 1}`
                        : ''}
              </span>
              {!taken && !now && (
                <Button
                  tone="quiet"
                  className="justify-self-end"
                  onClick={() => take(port, typeof result === 'object' ? result : null)}
                >
                  Use {port.name}
                </Button>
              )}
            </li>
          );
        })}
      </ul>
    </StepFrame>
  );
}

/** The beats of the bar, filled as they are played. */
function Beats({ beatsMs }: { beatsMs: readonly number[] }) {
  const [played, setPlayed] = useState(0);
  useEffect(() => {
    const timers = beatsMs.map((ms, i) => setTimeout(() => setPlayed(i + 1), ms - performance.now()));
    return () => {
      timers.forEach(clearTimeout);
      setPlayed(0);
    };
  }, [beatsMs]);
  return (
    <span aria-hidden className="flex gap-2">
      {Array.from({ length: PROBE_BEATS }, (_, i) => (
        <span key={i} className={clsx('size-3.5 border border-clock', i < played && 'bg-clock')} />
      ))}
    </span>
  );
}

/** The input its sound comes back on. */
export function ReturnStep({
  above,
  rig,
  gear,
  heard,
  onBack,
  onDone,
}: Ways & { rig: Rig; gear: Gear; heard: HeardOnInput | null; onDone: (channel: number | null) => void }) {
  const live = useSession(({ live }) => live);
  const input = useSession(({ input }) => input);
  const [sinceMs, setSinceMs] = useState(() => performance.now());
  const [chosen, setChosen] = useState<number | null>(heard?.channel ?? gear.returnChannel);
  const { clickChannel } = rig.input;
  const others = onSameInput(rig.gear, { id: gear.id, returnChannel: chosen });
  const levels = (live?.readings ?? []).map(({ lastHitMs, level }, channel) => ({
    channel,
    level,
    isNew: channel !== clickChannel && lastHitMs !== null && lastHitMs > sinceMs,
  }));
  const loudest = levels.filter(({ isNew }) => isNew).sort((a, b) => b.level - a.level)[0]?.channel ?? null;
  const [last, setLast] = useState<number | null>(null);
  if (loudest !== null && loudest !== last && heard === null) {
    setLast(loudest);
    setChosen(loudest);
  }
  return (
    <StepFrame
      above={above}
      waysFirst
      title={heard ? `${gear.name} comes in on input ${heard.channel + 1}` : `Hit something on ${gear.name}`}
      says={
        heard
          ? `That input heard ${heard.heard} of ${heard.of} beats${heard.sure ? ', louder than any other' : '; another input is almost as loud, so check the cable'}.`
          : 'Play a few loud, short notes on it. The audio input that moves is its return.'
      }
      ways={
        <>
          <Button onClick={onBack}>Back</Button>
          <Button tone={chosen === null ? 'plain' : 'strong'} disabled={chosen === null} onClick={() => onDone(chosen)}>
            {chosen === null ? 'Listening…' : `Use input ${chosen + 1}`}
          </Button>
          {!heard && (
            <Button
              onClick={() => {
                setSinceMs(performance.now());
                setLast(null);
                setChosen(null);
              }}
            >
              Listen again
            </Button>
          )}
          <Button onClick={() => onDone(null)}>It has no audio return</Button>
        </>
      }
      help="Without an audio return, the device gets clock but can’t be measured by its sound."
    >
      {others.length > 0 && (
        <p>
          {others.map(({ name }) => name).join(', ')} {others.length === 1 ? 'comes' : 'come'} in on input{' '}
          {(chosen ?? 0) + 1}, too. That works: they are measured one after the other.
        </p>
      )}
      {!input && (
        <p className="text-attention">No audio input is open, so nothing can be heard. Open one in the first step.</p>
      )}
      {input && (
        <div className="max-w-80">
          <Field label="Audio return">
            {(id) => (
              <Select
                id={id}
                value={chosen ?? ''}
                onChange={({ target }) => setChosen(target.value === '' ? null : Number(target.value))}
              >
                <option value="">not connected</option>
                {Array.from({ length: input.channels }, (_, i) => (
                  <option key={i} value={i}>
                    input {i + 1}
                    {i === clickChannel ? ' (hub click)' : ''}
                  </option>
                ))}
              </Select>
            )}
          </Field>
        </div>
      )}
      <div className="max-w-96">
        <Levels chosen={chosen} />
      </div>
    </StepFrame>
  );
}
