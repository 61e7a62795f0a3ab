import { HUB_ID, type RigGear, type Socket, type SocketRef } from '@metronomo/core';
import { Handle, Position, type Node, type NodeProps } from '@xyflow/react';
import clsx from 'clsx';
import type { KeyboardEvent } from 'react';
import { GearIcon } from './gear-icon';
import { beginCable, cancelCable, endCable, socketKey, usePlugging } from './plugging';
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
      <Sockets gear={gear} sockets={ins} side={Position.Left} />
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
      <Sockets gear={gear} sockets={outs} side={Position.Right} />
    </div>
  );
}

function Sockets({ gear, sockets, side }: { gear: RigGear; sockets: readonly Socket[]; side: Position }) {
  const isIn = side === Position.Left;
  return (
    <ul className={clsx('self-center', !isIn && 'text-right')}>
      {sockets.map((socket) => (
        <li
          key={socket.id}
          className={clsx('relative', isIn ? 'pl-2.5' : 'pr-2.5')}
          style={{ height: SOCKET_HEIGHT, lineHeight: `${SOCKET_HEIGHT}px` }}
        >
          <SocketHandle gear={gear} socket={socket} side={side} />
          <span className="block truncate" title={socket.label}>
            {socket.label}
          </span>
        </li>
      ))}
    </ul>
  );
}

/** A cable is drawn from it by mouse, or plugged in with Enter at both ends. */
function SocketHandle({ gear, socket, side }: { gear: RigGear; socket: Socket; side: Position }) {
  const ref = { gearId: gear.id, socketId: socket.id };
  const key = socketKey(ref);
  const plugging = usePlugging(({ from }) => from !== null);
  const isOneEnd = usePlugging(({ from }) => from !== null && socketKey(from) === key);
  const fits = usePlugging((state) => state.fits.has(key));
  const isIn = side === Position.Left;
  // One tab stop for all sockets of a device; while a cable is plugged in, one for each that fits.
  const firstId = (gear.sockets.find(({ direction }) => direction === 'in') ?? gear.sockets[0])?.id;
  return (
    <Handle
      id={socket.id}
      type={isIn ? 'target' : 'source'}
      position={side}
      role="button"
      tabIndex={(plugging ? fits || isOneEnd : firstId === socket.id) ? 0 : -1}
      aria-label={`${gear.name}, ${socket.label} (${socket.direction})`}
      aria-pressed={isOneEnd}
      data-fits={fits}
      onKeyDown={(event) => onSocketKey(event, ref, fits)}
      className={clsx(
        '!size-2.5 !rounded-full !border !border-ink',
        isIn ? '!bg-raised' : '!bg-ink',
        (fits || isOneEnd) && 'outline-2 outline-offset-2 outline-clock',
      )}
    />
  );
}

const STEPS: Readonly<Record<string, number>> = { ArrowDown: 1, ArrowRight: 1, ArrowUp: -1, ArrowLeft: -1 };

function onSocketKey(event: KeyboardEvent<HTMLElement>, ref: SocketRef, fits: boolean): void {
  const { key, currentTarget: handle } = event;
  const { from } = usePlugging.getState();
  const step = STEPS[key];
  if (step !== undefined) moveFocus(handle, step, from !== null);
  else if (key === 'Escape' && from) {
    cancelCable();
    handleOf(handle, from)?.focus();
  } else if (key === 'Enter' || key === ' ') {
    if (from) void (fits ? endCable(ref) : cancelCable());
    // Once the sockets that fit are marked.
    else if (beginCable(ref)) requestAnimationFrame(() => moveFocus(handle, 1, true));
  } else return;
  // Or the device would be moved, or selected.
  event.preventDefault();
  event.stopPropagation();
}

/** Among the sockets of a device, or among all those that fit. */
function moveFocus(handle: HTMLElement, step: number, fitting: boolean): void {
  const within = handle.closest(fitting ? '.react-flow' : '.react-flow__node');
  const all = [...(within?.querySelectorAll<HTMLElement>('.react-flow__handle') ?? [])];
  const choice = fitting ? all.filter((one) => one === handle || one.dataset['fits'] === 'true') : all;
  choice[(choice.indexOf(handle) + step + choice.length) % choice.length]?.focus();
}

function handleOf(near: HTMLElement, { gearId, socketId }: SocketRef): HTMLElement | null | undefined {
  const path = `[data-nodeid="${CSS.escape(gearId)}"][data-handleid="${CSS.escape(socketId)}"]`;
  return near.closest('.react-flow')?.querySelector<HTMLElement>(path);
}

/** Its role in sync, in a word or two. */
export function gearSummary(gear: RigGear, leads: boolean): string {
  if (leads) return 'leader';
  if (gear.id === HUB_ID) return 'regenerates clock';
  if (gear.syncsTo === 'nothing') return gear.kind === 'splitBox' ? 'splitter' : 'no sync';
  return gear.syncsTo === 'clock' ? 'clock' : `timecode ${gear.rate === '29.97df' ? '29.97 df' : gear.rate}`;
}
