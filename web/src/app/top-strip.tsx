import { HUB_ID, type SourceSnapshot } from '@metronomo/core';
import { Play, SkipBack, Square } from 'lucide-react';
import { command, handBack, useSession } from '../hub/session';
import { useMidiPorts } from '../hub/midi-ports';
import { useFollowers } from '../hub/use-followers';
import { Cell } from './cell';
import { Position } from './position';
import { TempoField } from './tempo-field';
import { playOrStop } from './use-shortcuts';

/** Always there: transport, position, tempo, who leads, and how the followers are. */
export function TopStrip() {
  const state = useSession(({ snapshot }) => snapshot.state);
  const playing = state !== 'stopped';
  return (
    <header className="print:hidden flex h-[76px] shrink-0 items-stretch border-b border-ink">
      <Cell className="items-center gap-2">
        <button
          type="button"
          onClick={playOrStop}
          aria-label={playing ? 'Stop' : 'Play'}
          className="flex h-11 w-13 items-center justify-center bg-ink text-sheet hover:bg-soft"
        >
          {playing ? <Square size={16} fill="currentColor" /> : <Play size={18} fill="currentColor" />}
        </button>
        <button
          type="button"
          onClick={() => command({ kind: 'locate', beat: 0 })}
          aria-label="Back to the start"
          className="flex h-11 w-11 items-center justify-center border border-ink bg-raised hover:bg-sheet"
        >
          <SkipBack size={18} />
        </button>
      </Cell>
      <Position />
      <Cell className="hidden flex-col justify-center sm:flex">
        <TempoField />
      </Cell>
      <Cell className="hidden flex-col justify-center md:flex">
        <WhoLeads />
      </Cell>
      <Followers />
    </header>
  );
}

/** Who leads just now, how that stands, and who would next. */
function WhoLeads() {
  const rig = useSession(({ rig }) => rig);
  const leader = useSession(({ snapshot }) => snapshot.leader);
  const words = useSession(({ snapshot }) => {
    const source = snapshot.sources.find(({ id }) => id === snapshot.leader);
    return source ? leadWords(source) : null;
  });
  const nameOf = (id?: string) => (id === HUB_ID ? 'Hub' : rig?.gear.find((one) => one.id === id)?.name);
  const [first] = rig?.leaders ?? [];
  const next = rig?.leaders[rig.leaders.indexOf(leader) + 1];
  return (
    <>
      <span className="text-xs text-soft">Who leads</span>
      <span className="max-w-40 truncate text-lg font-bold">{nameOf(leader) ?? 'Hub'}</span>
      {first !== undefined && first !== leader ? (
        <span className="text-xs whitespace-nowrap text-wrong" role="status">
          {nameOf(first)} was lost ·{' '}
          <button type="button" className="underline underline-offset-2" onClick={() => void handBack()}>
            hand back
          </button>
        </span>
      ) : (
        <span className="max-w-44 truncate text-xs text-soft">{words ?? (next ? `then ${nameOf(next)}` : '')}</span>
      )}
    </>
  );
}

/** How following stands, and what is missing. */
function leadWords({ state, rolling, arrives, bpm, missing }: SourceSnapshot): string {
  switch (state) {
    case 'silent':
      return arrives === 'nothing' ? 'waiting: nothing arrives' : `waiting, ${arrives} arrives`;
    case 'settling':
      return 'settling …';
    case 'locked':
      return `locked${rolling ? '' : ', standing'}${bpm ? `, ${bpm.toFixed(1)}` : ''}${missing > 0 ? `, ${missing} ticks missing` : ''}`;
    case 'freewheeling':
      return 'freewheeling: nothing arrives';
    case 'lost':
      return 'lost';
  }
}

function Followers() {
  const followers = useFollowers().filter(({ gear }) => gear.returnChannel !== null);
  const { lateMessages, lostMessages } = useMidiPorts();
  const preRollMs = useSession(({ snapshot }) => snapshot.preRollMs);
  // Rounded up to tens, or it would flicker.
  const lookaheadMs = useSession(({ snapshot }) => 10 * Math.ceil(snapshot.lookaheadMs / 10));
  const sleeps = useSession(({ snapshot }) => snapshot.sleeps);
  const locked = followers.filter(({ state }) => state === 'locked').length;
  return (
    <Cell className="hidden flex-col justify-center lg:flex">
      <span className="text-xs text-soft">Followers</span>
      <span className="text-lg">
        <b>
          {locked} of {followers.length}
        </b>{' '}
        locked
      </span>
      <span className="text-xs text-soft">
        {lateMessages} late messages, plans {Math.round(lookaheadMs)} ms ahead
        {lostMessages > 0 && `, ${lostMessages} lost`}
        {preRollMs > 0 && `, pre-roll ${preRollMs.toFixed(1)} ms`}
        {sleeps > 0 && `, stopped ${sleeps}× because the computer slept`}
      </span>
    </Cell>
  );
}
