import { Play, RotateCcw, Square, Volume2, VolumeX } from 'lucide-react';
import { command, useSession } from '../../hub/session';
import type { Gear } from '../../store/records';

/** What can be done with one follower alone. */
export function RowActions({ gear }: { gear: Gear }) {
  const held = useSession(({ snapshot }) => snapshot.held.includes(gear.id));
  const muted = useSession(({ snapshot }) => snapshot.muted.includes(gear.id));
  if (gear.portId === null) return null;
  return (
    <span className="flex justify-end">
      <IconButton
        label={`${held ? 'Start' : 'Stop'} ${gear.name} alone`}
        pressed={held}
        onClick={() => command({ kind: held ? 'release' : 'hold', feedId: gear.id })}
      >
        {held ? <Play size={14} /> : <Square size={14} />}
      </IconButton>
      <IconButton
        label={muted ? `Send to ${gear.name} again` : `Send nothing to ${gear.name}`}
        pressed={muted}
        onClick={() => command({ kind: 'mute', feedId: gear.id, muted: !muted })}
      >
        {muted ? <VolumeX size={14} /> : <Volume2 size={14} />}
      </IconButton>
      <IconButton
        label={`Start ${gear.name} anew, in step`}
        onClick={() => command({ kind: 'rejoin', feedId: gear.id })}
      >
        <RotateCcw size={14} />
      </IconButton>
    </span>
  );
}

function IconButton({
  label,
  pressed,
  onClick,
  children,
}: {
  label: string;
  pressed?: boolean;
  onClick: () => void;
  children: React.ReactNode;
}) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      {...(pressed !== undefined && { 'aria-pressed': pressed })}
      onClick={onClick}
      className="p-1.5 text-soft hover:text-ink aria-pressed:bg-ink aria-pressed:text-sheet"
    >
      {children}
    </button>
  );
}
