import { useEffect, useRef, type ReactNode } from 'react';
import { ChevronsLeft, ChevronsRight } from 'lucide-react';
import { endNudge, nudge, NUDGE } from '../../studio/nudge';
import { hasOwnTempo } from '../../studio/transport';
import { useSession } from '../../studio/session';
import type { Follower } from '../../studio/use-followers';

/** Speeds up or slows down all followers, or the selected one, while held by mouse, touch or keyboard. */
export function NudgeButtons({ follower }: { follower: Follower | null }) {
  const led = useSession(({ snapshot, rig }) => !hasOwnTempo(snapshot, rig));
  const feedId = follower?.gear.portId ?? undefined;
  const whom = follower ? follower.gear.name : 'all followers';
  const gear = follower?.gear ?? null;
  const letGo = () => endNudge(gear);
  const button = { onLetGo: letGo, disabled: led && !feedId };
  return (
    <span className="flex items-center gap-2" role="group" aria-label={`Nudge ${whom} (hold)`}>
      <span className="text-xs text-soft">{follower ? follower.gear.name : 'All'} (hold)</span>
      <HoldButton {...button} onHold={() => nudge(-NUDGE, gear)} title={`Hold to slow down ${whom} by 3%`}>
        <ChevronsLeft size={14} aria-hidden /> Nudge slower
      </HoldButton>
      <HoldButton {...button} onHold={() => nudge(NUDGE, gear)} title={`Hold to speed up ${whom} by 3%`}>
        Nudge faster <ChevronsRight size={14} aria-hidden />
      </HoldButton>
    </span>
  );
}

interface HoldProps {
  onHold: () => void;
  onLetGo: () => void;
  disabled: boolean;
  title: string;
  children: ReactNode;
}

/** Held by pointer or Enter; let go once, whether by pointer, key, loss of focus, or a change of view. */
function HoldButton({ onHold, onLetGo, children, ...button }: HoldProps) {
  const held = useRef(false);
  const hold = () => {
    held.current = true;
    onHold();
  };
  const letGo = () => {
    if (!held.current) return;
    held.current = false;
    onLetGo();
  };
  const release = useRef(letGo);
  useEffect(() => {
    release.current = letGo;
  });
  useEffect(() => () => release.current(), []);
  return (
    <button
      type="button"
      className="inline-flex items-center gap-1 border border-ink bg-raised px-2.5 py-1.5 text-sm select-none active:bg-ink active:text-sheet disabled:border-rule disabled:text-soft"
      onPointerDown={hold}
      onPointerUp={letGo}
      onPointerLeave={letGo}
      onBlur={letGo}
      onKeyDown={({ key, repeat }) => {
        if (key === 'Enter' && !repeat) hold();
      }}
      onKeyUp={({ key }) => {
        if (key === 'Enter') letGo();
      }}
      {...button}
    >
      {children}
    </button>
  );
}
