import { Play, Plug, RotateCcw, Square, Unplug } from 'lucide-react';
import { command } from '../../studio/workers';
import { useSession } from '../../studio/session';
import type { Gear } from '../../store/records';

/** Stop, mute or restart one follower. */
export function RowActions({ gear }: { gear: Gear }) {
  const held = useSession(({ snapshot }) => snapshot.held.includes(gear.portId ?? ''));
  const muted = useSession(({ snapshot }) => snapshot.muted.includes(gear.portId ?? ''));
  if (gear.portId === null) return null;
  const feedId = gear.portId;
  return (
    <span className="flex justify-end">
      <IconButton
        label={held ? `Start ${gear.name} in sync` : `Stop only ${gear.name}`}
        active={held}
        onClick={() => command({ kind: held ? 'release' : 'hold', feedId })}
      >
        {held ? <Play size={14} /> : <Square size={14} />}
      </IconButton>
      <IconButton
        label={muted ? `Unmute MIDI to ${gear.name}` : `Mute MIDI to ${gear.name}`}
        active={muted}
        onClick={() => command({ kind: 'mute', feedId, muted: !muted })}
      >
        {muted ? <Unplug size={14} /> : <Plug size={14} />}
      </IconButton>
      <IconButton label={`Restart ${gear.name} in sync`} onClick={() => command({ kind: 'rejoin', feedId })}>
        <RotateCcw size={14} />
      </IconButton>
    </span>
  );
}

function IconButton({
  label,
  active = false,
  onClick,
  children,
}: {
  label: string;
  active?: boolean;
  onClick: () => void;
  children: React.ReactNode;
}) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      data-active={active}
      onClick={onClick}
      className="p-1.5 text-soft hover:text-ink data-[active=true]:bg-ink data-[active=true]:text-sheet"
    >
      {children}
    </button>
  );
}
