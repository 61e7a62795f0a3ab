import { signalKey, type Signal } from '../midi/presses';
import type { NoteRoute, Socket } from './rig';

/** What a control does. Held ones last until the control is let go of. */
export const CONTROL_DEEDS = [
  ...(['play', 'stop', 'continue', 'playOrStop', 'toStart', 'nextSection', 'previousSection', 'nextSong'] as const),
  ...(['tap', 'downbeat', 'faster', 'slower', 'mute', 'hold', 'trigger', 'fill', 'record'] as const),
] as const;
export type ControlDeed = (typeof CONTROL_DEEDS)[number];

/** Something on an input of the hub that does something here. */
export interface Control {
  id: string;
  /** The hub's input socket that it arrives at. */
  socketId: string;
  signal: Signal;
  does: ControlDeed;
  /** The device to mute or hold, or whose trigger it is. */
  gearId?: string;
  triggerId?: string;
  /** How much faster or slower, as a share. */
  share?: number;
}

/** Why one press would do two things. */
export type ControlConflict =
  /** Two controls on the same thing. */
  | { kind: 'same'; controlId: string; otherId: string }
  /** A route carries it on to a device, which plays it as well. */
  | { kind: 'route'; controlId: string; routeId: string }
  /** Start and stop from this input are obeyed anyway. */
  | { kind: 'obeyed'; controlId: string };

/** `leading`: input sockets of devices that may lead. */
export function controlConflicts(
  controls: readonly Control[],
  routes: readonly NoteRoute[],
  sockets: readonly Socket[],
  leading: ReadonlySet<string>,
): ControlConflict[] {
  return controls.flatMap((control, i): ControlConflict[] => {
    const { id: controlId, socketId, signal } = control;
    const isSame = (other: Control) => other.socketId === socketId && signalKey(other.signal) === signalKey(signal);
    const same = controls.slice(0, i).filter(isSame);
    const carrying = routes.filter((route) => route.from === socketId && carries(route, signal));
    const isTransport = signal.kind === 'transport' || signal.kind === 'machine';
    const obeyed = sockets.find(({ id }) => id === socketId)?.obeys || leading.has(socketId);
    return [
      ...same.map(({ id: otherId }) => ({ kind: 'same' as const, controlId, otherId })),
      ...carrying.map(({ id: routeId }) => ({ kind: 'route' as const, controlId, routeId })),
      ...(isTransport && obeyed ? [{ kind: 'obeyed' as const, controlId }] : []),
    ];
  });
}

function carries({ fromChannel, passes, range }: NoteRoute, signal: Signal): boolean {
  if (signal.kind === 'note' && range && (signal.note < range[0] || signal.note > range[1])) return false;
  if (!('channel' in signal) || (fromChannel !== null && fromChannel !== signal.channel)) return false;
  return { note: passes.notes, controller: passes.controllers, program: passes.programs }[signal.kind];
}
