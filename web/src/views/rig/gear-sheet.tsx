import { HUB_ID, type RigGear, type Socket } from '@metronomo/core';
import { Handle, Position, type Node, type NodeProps } from '@xyflow/react';
import clsx from 'clsx';
import { GearIcon } from './gear-icon';
import { SHEET_PADDING, SHEET_WIDTH, sheetHeight, SOCKET_HEIGHT } from './lay-out';

export type GearNode = Node<{ gear: RigGear; icon: string | null; leads: boolean; isWrong: boolean }, 'gear'>;

/** A device as a sheet of the diagram with its sockets: ins on the left, outs and thrus on the right. */
export function GearSheet({ data: { gear, icon, leads, isWrong }, selected }: NodeProps<GearNode>) {
  const ins = gear.sockets.filter(({ direction }) => direction === 'in');
  const outs = gear.sockets.filter(({ direction }) => direction !== 'in');
  return (
    <div
      className={clsx(
        'grid items-center border border-ink bg-raised text-[12px]',
        // The hub's labels name ports, and need more room than IN and OUT.
        gear.id === HUB_ID ? 'grid-cols-[60px_1fr_84px]' : 'grid-cols-[70px_1fr_70px]',
        leads && 'border-2',
        selected && 'outline-2 outline-offset-2 outline-clock',
      )}
      style={{ width: SHEET_WIDTH, height: sheetHeight(gear), paddingBlock: SHEET_PADDING }}
    >
      <Sockets sockets={ins} side={Position.Left} />
      <div className="min-w-0 text-center leading-tight">
        <p className="text-[14px] font-bold text-balance">
          {isWrong && (
            <span className="mr-1 text-wrong" role="img" aria-label="has a problem">
              ×
            </span>
          )}
          {gear.name}
        </p>
        <p className="flex items-center justify-center gap-1 truncate text-soft">
          <GearIcon kind={gear.kind} icon={icon} size={12} /> {gearSummary(gear, leads)}
        </p>
      </div>
      <Sockets sockets={outs} side={Position.Right} />
    </div>
  );
}

function Sockets({ sockets, side }: { sockets: readonly Socket[]; side: Position }) {
  const isIn = side === Position.Left;
  return (
    <ul className={clsx('self-center', !isIn && 'text-right')}>
      {sockets.map(({ id, label }) => (
        <li
          key={id}
          className={clsx('relative', isIn ? 'pl-2.5' : 'pr-2.5')}
          style={{ height: SOCKET_HEIGHT, lineHeight: `${SOCKET_HEIGHT}px` }}
        >
          <Handle
            id={id}
            type={isIn ? 'target' : 'source'}
            position={side}
            className={clsx('!size-2.5 !rounded-full !border !border-ink', isIn ? '!bg-raised' : '!bg-ink')}
          />
          <span className="block truncate" title={label}>
            {label}
          </span>
        </li>
      ))}
    </ul>
  );
}

/** Its role in sync, in a word or two. */
export function gearSummary(gear: RigGear, leads: boolean): string {
  if (leads) return 'leader';
  if (gear.id === HUB_ID) return 'regenerates clock';
  if (gear.syncsTo === 'nothing') return gear.kind === 'splitBox' ? 'splitter' : 'no sync';
  return gear.syncsTo === 'clock' ? 'clock' : `timecode ${gear.rate === '29.97df' ? '29.97 df' : gear.rate}`;
}
