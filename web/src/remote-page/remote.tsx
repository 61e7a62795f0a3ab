import clsx from 'clsx';
import { Play, Square } from 'lucide-react';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { decimal } from '../words/numbers';
import type { RemoteDeed, RemoteState } from '../remote/messages';
import { positionAt } from './position-at';
import { useHub, type HubLink } from './use-hub';
import { useKeepAwake } from './use-keep-awake';

/** Position, sections and big buttons for a phone or tablet. */
export function Remote() {
  const hub = useHub();
  const { state, connected, roundTripMs, send } = hub;
  const press = (does: RemoteDeed, down = true, triggerId?: string) =>
    send({ kind: 'press', does, down, ...(triggerId !== undefined && { triggerId }) });
  const once = (does: RemoteDeed) => ({ onPress: () => press(does), disabled: !connected });
  const held = (does: RemoteDeed, triggerId?: string) => ({
    onPress: () => press(does, true, triggerId),
    onLetGo: () => press(does, false, triggerId),
    disabled: !connected,
  });
  const fill = state?.fills[0];
  return (
    <main className="mx-auto flex min-h-dvh max-w-xl flex-col select-none">
      <header className="ruled-b flex items-center justify-between gap-3 px-4 py-3">
        <h1 className="truncate font-bold">{state?.song ?? 'Metronomo'}</h1>
        <span className="shrink-0 text-sm">
          {state?.plays ? `${state.locked} of ${state.followers} locked` : connected ? 'Stopped' : ''}
        </span>
      </header>
      {state ? (
        <>
          <Position hub={hub} state={state} />
          {state.sections.length > 0 && <Sections hub={hub} state={state} />}
        </>
      ) : (
        <p className="p-4 text-soft">
          Waiting for the hub. Open Metronomo on the main computer, and switch on “Remote page” there, in Rig under
          Ports.
        </p>
      )}
      <div className="grid flex-1 auto-rows-fr grid-cols-2 gap-3 p-4">
        <BigButton {...once('playOrStop')} className="col-span-2 !bg-ink text-2xl !text-sheet">
          {state?.plays ? <Square size={20} fill="currentColor" /> : <Play size={22} fill="currentColor" />}
          {state?.plays ? 'Stop' : 'Play'}
        </BigButton>
        <BigButton {...once('tap')}>Tap</BigButton>
        <BigButton {...once('nextSection')}>Next section</BigButton>
        <BigButton {...held('slower')}>« Slower</BigButton>
        <BigButton {...held('faster')}>Faster »</BigButton>
        {fill ? (
          <BigButton {...held('fill', fill.id)} className="!border-attention text-attention">
            Fill (hold)
          </BigButton>
        ) : (
          <BigButton {...once('toStart')} className={state?.hasNextSong ? '' : 'col-span-2'}>
            Back to start
          </BigButton>
        )}
        {state?.hasNextSong && <BigButton {...once('nextSong')}>Next song</BigButton>}
        {fill && !state?.hasNextSong && <BigButton {...once('toStart')}>Back to start</BigButton>}
      </div>
      <footer className="ruled-t flex items-center justify-between px-4 py-3 text-sm text-soft">
        <span role="status">
          {connected
            ? `connected to the hub${roundTripMs === null ? '' : `, ${decimal(roundTripMs, 0)} ms`}`
            : 'not connected'}
        </span>
        <KeepAwake />
      </footer>
    </main>
  );
}

/** Redrawn each frame: what is seen is where the song is now. */
function useFrame(draw: () => void): void {
  const latest = useRef(draw);
  useEffect(() => {
    latest.current = draw;
  });
  useEffect(() => {
    let frame = requestAnimationFrame(function next() {
      latest.current();
      frame = requestAnimationFrame(next);
    });
    return () => cancelAnimationFrame(frame);
  }, []);
}

function Position({ hub, state }: { hub: HubLink; state: RemoteState }) {
  const [now, setNow] = useState({ bar: 1, beat: 1 });
  useFrame(() => {
    const next = positionAt(state, hub.beatNow());
    if (next.bar !== now.bar || next.beat !== now.beat) setNow(next);
  });
  const { beats } = state.bar;
  return (
    <section aria-label="Position" className="ruled-b px-4 py-4">
      <div className="flex items-end justify-between">
        <span data-position className="text-6xl leading-none font-bold tabular-nums">
          {state.counting ? 'count-in' : `${now.bar}.${now.beat}`}
        </span>
        <span className="text-right">
          <span className="block text-sm text-soft">BPM</span>
          <span className="text-3xl font-bold tabular-nums">{decimal(state.bpm, 2)}</span>
        </span>
      </div>
      <div className="mt-4 flex gap-2" aria-hidden>
        {Array.from({ length: beats }, (_, i) => (
          <span
            key={i}
            className={clsx('h-6 flex-1 border border-ink', state.plays && i + 1 === now.beat && 'bg-ink')}
          />
        ))}
      </div>
    </section>
  );
}

function Sections({ hub, state }: { hub: HubLink; state: RemoteState }) {
  const mark = useRef<HTMLSpanElement>(null);
  const { sections } = state;
  const lengthBeats = sections.reduce((sum, { beats }) => sum + beats, 0);
  useFrame(() => {
    const share = Math.min(1, Math.max(0, hub.beatNow() / lengthBeats));
    mark.current?.style.setProperty('left', `${100 * share}%`);
  });
  const current = sections.findLastIndex(({ fromBeat }) => fromBeat <= state.beat + 1e-6);
  return (
    <section aria-label="Sections" className="ruled-b px-4 py-3">
      <h2 className="mb-1 text-sm text-soft">Section</h2>
      <div className="relative">
        <ol className="flex border-b-2 border-rule">
          {sections.map(({ name, beats }, i) => (
            <li
              key={i}
              aria-current={i === current}
              style={{ flexGrow: beats, flexBasis: 0 }}
              className={clsx(
                'min-w-0 truncate border border-rule px-1.5 py-2 text-sm',
                i === current && 'border-b-2 !border-b-ink font-bold',
              )}
            >
              {name}
            </li>
          ))}
        </ol>
        <span ref={mark} aria-hidden className="absolute -bottom-1 h-1.5 w-1 bg-command" />
      </div>
    </section>
  );
}

function BigButton({
  onPress,
  onLetGo,
  disabled,
  className,
  children,
}: {
  onPress: () => void;
  onLetGo?: () => void;
  disabled: boolean;
  className?: string;
  children: ReactNode;
}) {
  const down = useRef(false);
  const letGo = () => {
    if (!down.current) return;
    down.current = false;
    onLetGo?.();
  };
  const pressed = () => {
    down.current = true;
    onPress();
  };
  return (
    <button
      type="button"
      disabled={disabled}
      className={clsx(
        'flex min-h-16 touch-none items-center justify-center gap-3 border border-ink bg-raised text-lg active:opacity-70 disabled:opacity-40',
        className,
      )}
      onPointerDown={pressed}
      onPointerUp={letGo}
      onPointerCancel={letGo}
      onPointerLeave={letGo}
      onBlur={letGo}
      onKeyDown={({ key, repeat }) => {
        if ((key === 'Enter' || key === ' ') && !repeat) pressed();
      }}
      onKeyUp={letGo}
    >
      {children}
    </button>
  );
}

function KeepAwake() {
  const { possible, on, toggle } = useKeepAwake();
  if (!possible) return null;
  return (
    <label className="inline-flex items-center gap-2">
      keep screen on
      <input type="checkbox" className="size-5 accent-[var(--ink)]" checked={on} onChange={toggle} />
    </label>
  );
}
