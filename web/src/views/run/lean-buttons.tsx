import { useState } from 'react';
import { ChevronsLeft, ChevronsRight } from 'lucide-react';
import { changeRig, command, hub, useSession } from '../../hub/session';
import type { Follower } from '../../hub/use-followers';

/** As a player leans on a platter: so much faster or slower while held. */
const LEAN = 0.03;

/** Leans on all followers, or on the chosen one, while a button is held; by mouse, touch or keyboard. */
export function LeanButtons({ follower }: { follower: Follower | null }) {
  const led = useSession(({ snapshot }) => snapshot.leader !== 'hub');
  const feedId = follower?.gear.id;
  const whom = follower ? follower.gear.name : 'all';
  const [leans, setLeans] = useState(false);
  const send = (share: number) => command(feedId ? { kind: 'nudge', share, feedId } : { kind: 'nudge', share });
  const lean = (share: number) => {
    setLeans(true);
    send(share);
  };
  // However the hand leaves the button, by mouse, by key or by going elsewhere.
  const letGo = () => {
    if (!leans) return;
    setLeans(false);
    send(0);
    if (feedId) void keepOffset(feedId);
  };
  const held = (share: number) => ({
    disabled: led && !feedId,
    onPointerDown: () => lean(share),
    onPointerUp: letGo,
    onPointerLeave: letGo,
    onBlur: letGo,
    onKeyDown: ({ key, repeat }: React.KeyboardEvent) => {
      if (key === 'Enter' && !repeat) lean(share);
    },
    onKeyUp: ({ key }: React.KeyboardEvent) => {
      if (key === 'Enter') letGo();
    },
  });
  const style =
    'inline-flex items-center gap-1 border border-ink bg-raised px-2.5 py-1.5 text-sm select-none active:bg-ink active:text-sheet disabled:border-rule disabled:text-soft';
  return (
    <span className="flex gap-2" role="group" aria-label={`Lean on ${whom} while held`}>
      <button type="button" className={style} {...held(-LEAN)} title={`Hold: ${whom} slower by 3 %`}>
        <ChevronsLeft size={14} aria-hidden /> lean back
      </button>
      <button type="button" className={style} {...held(LEAN)} title={`Hold: ${whom} faster by 3 %`}>
        lean ahead <ChevronsRight size={14} aria-hidden />
      </button>
    </span>
  );
}

/** Leaning on one follower has moved its offset: the rig takes that over. */
async function keepOffset(feedId: string): Promise<void> {
  const offsetMs = await hub.offsetOf(feedId);
  if (offsetMs === null) return;
  await changeRig((rig) => ({
    ...rig,
    gear: rig.gear.map((one) => (one.id === feedId ? { ...one, offsetMs: Number(offsetMs.toFixed(3)) } : one)),
  }));
}
