import { HUB_ID, type SourceSnapshot } from '@metronomo/core';
import { Play, SkipBack, Square } from 'lucide-react';
import { switchBack } from '../studio/rig';
import { useSession } from '../studio/session';
import { usePorts } from '../ports/port-registry';
import { useFollowers } from '../studio/use-followers';
import { locate } from '../studio/locate';
import { playOrStop } from '../studio/transport';
import { Cell } from './cell';
import { Position } from './position';
import { TempoField } from './tempo-field';
import { decimal, whole } from '../words/numbers';

/** Transport, position, tempo, leader and followers; visible in every view. */
export function TopStrip() {
  const state = useSession(({ snapshot }) => snapshot.state);
  const playing = state !== 'stopped';
  return (
    <header className="print:hidden flex min-h-[76px] shrink-0 flex-wrap items-stretch border-b border-ink xl:flex-nowrap">
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
          onClick={() => locate(0)}
          aria-label="Go to start"
          className="flex h-11 w-11 items-center justify-center border border-ink bg-raised hover:bg-sheet"
        >
          <SkipBack size={18} />
        </button>
      </Cell>
      <Position />
      <Cell className="flex-col justify-center">
        <TempoField />
      </Cell>
      <Cell className="flex-col justify-center">
        <Leader />
      </Cell>
      <Followers />
    </header>
  );
}

/** The current leader, its state, and the next in the fallback order. */
function Leader() {
  const rig = useSession(({ rig }) => rig);
  const leader = useSession(({ snapshot }) => snapshot.leader);
  const words = useSession(({ snapshot }) => {
    const own = snapshot.sources.filter(({ gearId }) => gearId === snapshot.leader);
    const source = own.find(({ receiving }) => receiving !== 'nothing') ?? own[0];
    return source ? syncWords(source) : null;
  });
  const nameOf = (id?: string) => (id === HUB_ID ? 'Hub' : rig?.gear.find((one) => one.id === id)?.name);
  const trialLeader = useSession(({ trialLeader }) => trialLeader);
  const anyone = rig?.takeOver === 'whoeverPlays' && trialLeader === null;
  const [first] = anyone ? [leader] : trialLeader === null ? (rig?.leaders ?? []) : [trialLeader];
  const next = rig?.leaders[rig.leaders.indexOf(leader) + 1];
  return (
    <>
      <span className="text-xs text-soft">Leader</span>
      <span className="max-w-40 truncate text-lg font-bold max-sm:text-base">{nameOf(leader) ?? 'Hub'}</span>
      {first !== undefined && first !== leader ? (
        <span className="text-xs whitespace-nowrap text-wrong" role="status">
          {nameOf(first)} lost ·{' '}
          <button
            type="button"
            className="underline underline-offset-2"
            aria-label={`Switch back to ${nameOf(first)}`}
            onClick={() => void switchBack()}
          >
            Switch back
          </button>
        </span>
      ) : (
        <span className="max-w-44 truncate text-xs text-soft">
          {words ?? (anyone ? 'whoever plays leads' : next ? `next: ${nameOf(next)}` : '')}
        </span>
      )}
    </>
  );
}

/** State of the incoming sync, and missing ticks. */
function syncWords({ state, rolling, receiving, bpm, missing }: SourceSnapshot): string {
  switch (state) {
    case 'silent':
      return receiving === 'nothing' ? 'no signal' : `waiting, receiving ${receiving}`;
    case 'settling':
      return 'settling…';
    case 'locked':
      return `locked${rolling ? '' : ', stopped'}${bpm ? `, ${decimal(bpm, 1)} BPM` : ''}${missing > 0 ? `, missing ticks: ${missing}` : ''}`;
    case 'freewheeling':
      return 'freewheeling, no signal';
    case 'lost':
      return 'lost';
  }
}

function Followers() {
  const followers = useFollowers().filter(({ isHeard }) => isHeard);
  const { lateMessages, lostMessages } = usePorts();
  const preRollMs = useSession(({ snapshot }) => snapshot.preRollMs);
  // Rounded up to tens to avoid flicker.
  const lookaheadMs = useSession(({ snapshot }) => 10 * Math.ceil(snapshot.lookaheadMs / 10));
  const sleeps = useSession(({ snapshot }) => snapshot.sleeps);
  const playing = useSession(({ snapshot }) => snapshot.state !== 'stopped');
  const locked = followers.filter(({ state }) => state === 'locked').length;
  const troubles = [
    lateMessages > 0 && `late messages: ${whole(lateMessages)}`,
    lostMessages > 0 && `not sent: ${whole(lostMessages)}`,
    sleeps > 0 && `stopped by computer sleep ${sleeps}×`,
  ].filter((one) => one !== false);
  const timing = `Look-ahead ${whole(lookaheadMs)} ms${preRollMs > 0 ? `, pre-roll ${decimal(preRollMs, 1)} ms` : ''}`;
  return (
    <Cell className="flex-col justify-center" title={timing}>
      <span className="text-xs text-soft">Followers</span>
      <span className="text-lg max-sm:text-base">
        {playing ? (
          <>
            <b>
              {locked} of {followers.length}
            </b>{' '}
            locked
          </>
        ) : (
          <b>Stopped</b>
        )}
      </span>
      <span className="text-xs text-soft">{troubles.join(', ') || 'No late messages'}</span>
    </Cell>
  );
}
