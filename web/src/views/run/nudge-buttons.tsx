import { useEffect, useRef } from 'react';
import { ChevronsLeft, ChevronsRight } from 'lucide-react';
import { command, hub } from '../../studio/workers';
import { useSession } from '../../studio/session';
import { setOffset } from '../../studio/set-offset';
import type { Follower } from '../../studio/use-followers';

/** Tempo change while a button is held, as a share. */
const NUDGE = 0.03;

/** Speeds up or slows down all followers, or the selected one, while held by mouse, touch or keyboard. */
export function NudgeButtons({ follower }: { follower: Follower | null }) {
  const led = useSession(({ snapshot }) => snapshot.leader !== 'hub');
  const feedId = follower?.gear.portId ?? undefined;
  const whom = follower ? follower.gear.name : 'all followers';
  const held = useRef(false);
  const send = (share: number) => command(feedId ? { kind: 'nudge', share, feedId } : { kind: 'nudge', share });
  const nudge = (share: number) => {
    held.current = true;
    send(share);
  };
  // Leaving the view while a button is held.
  const release = useRef<() => void>(() => undefined);
  useEffect(() => () => release.current(), []);
  // Released by pointer, by key, or by losing focus.
  const letGo = () => {
    if (!held.current) return;
    held.current = false;
    send(0);
    if (follower && feedId) void keepOffset(follower.gear.id, feedId);
  };
  useEffect(() => {
    release.current = letGo;
  });
  const handlers = (share: number) => ({
    disabled: led && !feedId,
    onPointerDown: () => nudge(share),
    onPointerUp: letGo,
    onPointerLeave: letGo,
    onBlur: letGo,
    onKeyDown: ({ key, repeat }: React.KeyboardEvent) => {
      if (key === 'Enter' && !repeat) nudge(share);
    },
    onKeyUp: ({ key }: React.KeyboardEvent) => {
      if (key === 'Enter') letGo();
    },
  });
  const style =
    'inline-flex items-center gap-1 border border-ink bg-raised px-2.5 py-1.5 text-sm select-none active:bg-ink active:text-sheet disabled:border-rule disabled:text-soft';
  return (
    <span className="flex items-center gap-2" role="group" aria-label={`Nudge ${whom} (hold)`}>
      <span className="text-xs text-soft">{follower ? follower.gear.name : 'All'} (hold)</span>
      <button type="button" className={style} {...handlers(-NUDGE)} title={`Hold to slow down ${whom} by 3%`}>
        <ChevronsLeft size={14} aria-hidden /> Nudge slower
      </button>
      <button type="button" className={style} {...handlers(NUDGE)} title={`Hold to speed up ${whom} by 3%`}>
        Nudge faster <ChevronsRight size={14} aria-hidden />
      </button>
    </span>
  );
}

/** A nudge of one follower has moved its offset in the hub: store that in the rig. */
async function keepOffset(gearId: string, feedId: string): Promise<void> {
  const offsetMs = await hub.offsetOf(feedId);
  if (offsetMs === null) return;
  await setOffset(gearId, Number(offsetMs.toFixed(3)));
}
